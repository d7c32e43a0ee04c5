import { Id, LinkToken, NewSignOffLink, SignOffCorrection, SignOffEntryDraft, SignOffQuery, SignOffSend } from '@nudrik/contract';
import { z } from 'zod';
import { findSigner } from './sign-offs.repo.ts';
import { headFile } from '../answer-file.ts';
import { signOffDocument } from './document.ts';
import { act, DONE, EDITORS, get, OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import {
  correctSignOff,
  endSignOffLink,
  foreseeSignOffs,
  makeSignOffLink,
  maySee,
  mySignOffs,
  recordSignOffs,
  signerBy,
  signOffList,
  signOffView,
  type Signer,
} from './sign-offs.ts';

const Entries = z.object({ session: Id.nullable().default(null), entries: z.array(SignOffEntryDraft).min(1).max(500) });

function byLink({ deps, req }: Call): ReturnType<typeof signerBy> {
  const link = LinkToken.safeParse(req.params['token']);
  if (!link.success) throw new Refused('wrong-link', link.error.issues[0]!.message);
  return signerBy(deps, link.data);
}
const at = ({ req }: Call): { course: string; unit: string } => ({
  course: parse(Id, req.params['course']),
  unit: parse(Id, req.params['unit']),
});

/** Whoever signed in, as the person on the roster that they are. @throws Refused */
async function byAccount({ deps, account }: Call): Promise<Signer> {
  const person = account!.personId === null ? null : await findSigner(deps.db, account!.personId);
  if (!person) throw new Refused('not-allowed', 'Your account belongs to nobody on the roster, so it cannot sign off.');
  return { personId: account!.personId!, name: person.name, link: null };
}

function answerPdf({ res }: Call, { name, content }: { name: string; content: Buffer }): undefined {
  headFile(res, name, 'application/pdf', 'inline');
  res.end(content);
  return undefined;
}

export const signOffRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/sign-off/:token/records/:assignment',
    access: 'public',
    async handle(call) {
      const { personId, link } = await byLink(call);
      const assignment = parse(Id, call.req.params['assignment']);
      if (!(await maySee(call.deps, assignment, link.course_id, link.unit_id, personId))) throw new Refused('not-found', 'There is no such record among yours.'); // prettier-ignore
      return answerPdf(call, await signOffDocument(call.deps.db, assignment, link.unit_id));
    },
  },
  {
    method: 'get',
    path: '/api/sign-off/:token',
    access: 'public',
    async handle(call) {
      const signer = await byLink(call);
      return signOffView(call.deps, signer.link.course_id, signer.link.unit_id, signer, {
        session: signer.link.session_id,
        find: parse(SignOffQuery, call.req.query).find,
      });
    },
  },
  {
    method: 'post',
    path: '/api/sign-off/:token/preview',
    access: 'public',
    async handle(call) {
      const signer = await byLink(call);
      return foreseeSignOffs(
        call.deps,
        signer.link.course_id,
        signer.link.unit_id,
        signer,
        parse(Entries, call.req.body).entries,
        signer.link.session_id,
      );
    },
  },
  {
    method: 'post',
    path: '/api/sign-off/:token',
    access: 'public',
    async handle(call) {
      const signer = await byLink(call);
      return recordSignOffs(call.deps, signer.link.course_id, signer.link.unit_id, signer, {
        ...parse(SignOffSend, call.req.body),
        session: signer.link.session_id,
      });
    },
  },
  get(
    '/api/my-sign-offs',
    async (call) => (call.account!.personId === null ? [] : mySignOffs(call.deps, call.account!.personId)),
    'signed-in',
  ),
  get(
    '/api/my-sign-offs/:course/:unit',
    async (call) => signOffView(call.deps, at(call).course, at(call).unit, await byAccount(call), parse(SignOffQuery, call.req.query)),
    'signed-in',
  ),
  {
    method: 'post',
    path: '/api/my-sign-offs/:course/:unit/preview',
    access: 'signed-in',
    async handle(call) {
      const { entries, session } = parse(Entries, call.req.body);
      return foreseeSignOffs(call.deps, at(call).course, at(call).unit, await byAccount(call), entries, session);
    },
  },
  {
    method: 'post',
    path: '/api/my-sign-offs/:course/:unit',
    access: 'signed-in',
    handle: async (call) =>
      recordSignOffs(call.deps, at(call).course, at(call).unit, await byAccount(call), parse(SignOffSend, call.req.body)),
  },
  get(
    '/api/sign-off-records/:assignment/:unit',
    async (call) => {
      const assignment = parse(Id, call.req.params['assignment']);
      const unit = parse(Id, call.req.params['unit']);
      const found = await signOffDocument(call.deps.db, assignment, unit);
      const { role, personId } = call.account!;
      // an employee opens their own, a supervisor those whom they may sign off; the office opens any
      const isAllowed =
        OFFICE.includes(role) ||
        (personId !== null && (personId === found.personId || (await maySee(call.deps, assignment, found.courseId, unit, personId))));
      if (!isAllowed) throw new Refused('not-found', 'There is no such record among yours.');
      return answerPdf(call, found);
    },
    'signed-in',
  ),
  get('/api/courses/:course/sign-offs/:unit', (call) =>
    signOffList(call.deps, at(call).course, at(call).unit, EDITORS.includes(call.account!.role)),
  ),
  {
    method: 'post',
    path: '/api/courses/:course/sign-offs/:unit/links',
    access: EDITORS,
    handle: (call) => makeSignOffLink(call.deps, at(call).course, at(call).unit, parse(NewSignOffLink, call.req.body), call.account!.name),
  },
  {
    method: 'delete',
    path: '/api/courses/:course/sign-offs/:unit/links/:id',
    access: EDITORS,
    async handle(call) {
      await endSignOffLink(call.deps, parse(Id, call.req.params['id']), at(call).unit);
      return DONE;
    },
  },
  act('post', '/api/courses/:course/sign-offs/:unit/entries/:id/correct', (call) =>
    correctSignOff(
      call.deps,
      at(call).course,
      at(call).unit,
      parse(Id, call.req.params['id']),
      parse(SignOffCorrection, call.req.body),
      call.account!.name,
    ),
  ),
];
