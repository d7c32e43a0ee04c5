import { z } from 'zod';
import { Id, Invitation, Line, LinkToken, LookRequest, RemarkChange, RemarkDraft } from '@nudrik/contract';
import { headFile } from '../answer-file.ts';
import { answerCourseFile } from '../files/routes.ts';
import { Refused } from '../refusal.ts';
import { bytesOf, DONE, EDITORS, get, idOf, parse, type Call, type Route } from '../route.ts';
import { quizPackage, readQti } from '../quizzes/qti.ts';
import { courseFile, takeCourseFile } from './course-file.ts';
import { formerFiles } from './courses.repo.ts';
import { lookAtCourse } from './look.ts';
import { courseOfLook, endInvitation, invitedLook, invitedView, inviteToLook, remark, remarkByLink, remarksView, tick } from './looks.ts';
import { readDraft } from './draft.ts';

const link = ({ req }: Call): string => {
  const parsed = LinkToken.safeParse(req.params['token']);
  if (!parsed.success) throw new Refused('wrong-link', parsed.error.issues[0]!.message);
  return parsed.data;
};
const post = (path: string, handle: Route['handle'], access: Route['access'] = EDITORS): Route => ({
  method: 'post',
  path,
  access,
  handle,
});

const FileName = z.object({ name: Line(255, 'expected a file name') });
const sendZip = (call: Call, { name, content }: { name: string; content: Buffer }): undefined => {
  headFile(call.res, name, 'application/zip');
  call.res.end(content);
  return undefined;
};

/** A course and its quizzes as files. */
export const courseFileRoutes: Route[] = [
  get('/api/courses/:id/units/:unit/files', (call) => formerFiles(call.deps.db, idOf(call), parse(Id, call.req.params['unit']))),
  get('/api/courses/:id/file', async (call) => sendZip(call, await courseFile(call.deps.db, idOf(call))), EDITORS),
  get(
    '/api/courses/:id/quizzes/:unit/qti',
    async (call) => sendZip(call, await quizPackage(call.deps.db, idOf(call), parse(Id, call.req.params['unit']))),
    EDITORS,
  ),
  {
    method: 'post',
    path: '/api/courses/from-file',
    access: EDITORS,
    takes: 'large file',
    handle: (call) =>
      takeCourseFile(call.deps, bytesOf(call), parse(FileName, call.req.query).name, call.account!.personId, call.account!.name),
  },
  {
    method: 'post',
    path: '/api/quizzes/read',
    access: EDITORS,
    takes: 'file',
    handle: (call) => readQti(call.deps, bytesOf(call), parse(FileName, call.req.query).name),
  },
];

/** Looking at a course as the employee, here and by a link. */
export const lookRoutes: Route[] = [
  post('/api/courses/:id/look', (call) => lookAtCourse(call.deps, idOf(call), parse(LookRequest, call.req.body))),
  get('/api/courses/:id/remarks', (call) => remarksView(call.deps, idOf(call)), EDITORS),
  post('/api/courses/:id/remarks', (call) => remark(call.deps, idOf(call), parse(RemarkDraft, call.req.body), call.account!)),
  post('/api/courses/:id/invitations', (call) => inviteToLook(call.deps, idOf(call), parse(Invitation, call.req.body), call.account!)),
  {
    method: 'delete',
    path: '/api/courses/:id/invitations/:look',
    access: EDITORS,
    async handle(call) {
      await endInvitation(call.deps, idOf(call), parse(Id, call.req.params['look']));
      return DONE;
    },
  },
  {
    method: 'patch',
    path: '/api/remarks/:id',
    access: EDITORS,
    async handle(call) {
      await tick(call.deps, idOf(call), parse(RemarkChange, call.req.body).isDone, call.account!);
      return DONE;
    },
  },
  get('/api/looks/:token', (call) => invitedView(call.deps, link(call)), 'public'),
  post('/api/looks/:token/look', (call) => invitedLook(call.deps, link(call), parse(LookRequest, call.req.body)), 'public'),
  post('/api/looks/:token/remarks', (call) => remarkByLink(call.deps, link(call), parse(RemarkDraft, call.req.body)), 'public'),
  // a file of the course that is looked at, and of no other
  get(
    '/api/looks/:token/files/:file',
    async (call) => {
      const file = parse(Id, call.req.params['file']);
      const { content } = await readDraft(call.deps.db, await courseOfLook(call.deps, link(call)));
      const isOfIt = content.sections.some(({ units }) => units.some(({ fileId, video }) => fileId === file || video?.captions.some(({ fileId: id }) => id === file))); // prettier-ignore
      return answerCourseFile(call, isOfIt ? file : null);
    },
    'public',
  ),
];
