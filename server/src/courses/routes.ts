import { CourseDraft, DraftSave, Id, NewCourse, Publishing, ReleaseLook, Retiring } from '@nudrik/contract';
import { ADMINISTRATORS, DONE, EDITORS, idOf, OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { findCourse, listCourses } from './courses.repo.ts';
import { houseToday } from '../people/today.ts';
import { countOpen } from '../plans/plans.repo.ts';
import { isLarge } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { copyCourse, createCourse, draftView, dropDraft, here, NO_COURSE, saveDraft } from './draft.ts';
import { leaveEditor } from './draft.repo.ts';
import { goLive, liveView, retireCourse, takeUp } from './live.ts';
import { seeOpenings } from './openings.ts';
import { previewPublish, publishCourse } from './publish.ts';

async function wordsOf({ deps, ...call }: Call, what: string): Promise<string> {
  const course = await findCourse(deps.db, idOf({ deps, ...call }));
  if (!course) throw new Refused('not-found', NO_COURSE);
  return `${what} ${course.title}`;
}
const manyOpen = async (call: Call): Promise<boolean> => (await countOpen(call.deps.db, idOf(call))) > call.deps.settings.jobAbove;

export const courseRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/courses',
    access: OFFICE,
    handle: async ({ deps }) => listCourses(deps.db, deps.clock.now(), await houseToday(deps)),
  },
  {
    method: 'get',
    path: '/api/courses/:id',
    access: OFFICE,
    async handle({ deps, req }) {
      const course = await findCourse(deps.db, parse(Id, req.params['id']));
      if (!course) throw new Refused('not-found', NO_COURSE);
      return course;
    },
  },
  {
    method: 'post',
    path: '/api/courses',
    access: EDITORS,
    async handle({ deps, req, account }) {
      const { title } = parse(NewCourse, req.body);
      const draft = CourseDraft.parse({ title, ownerId: account!.personId, sections: [{ title: 'First section', units: [] }] });
      return { id: await createCourse(deps, draft, account!.name) };
    },
  },
  {
    method: 'post',
    path: '/api/courses/:id/copy',
    access: EDITORS,
    handle: async (call) => ({
      id: await copyCourse(call.deps, idOf(call), parse(NewCourse, call.req.body).title, call.account!.name),
    }),
  },
  { method: 'get', path: '/api/courses/:id/draft', access: EDITORS, handle: (call) => draftView(call.deps, idOf(call), call.account!) },
  {
    method: 'put',
    path: '/api/courses/:id/draft',
    access: EDITORS,
    handle: (call) => saveDraft(call.deps, idOf(call), parse(DraftSave, call.req.body), call.account!.name),
  },
  {
    method: 'delete',
    path: '/api/courses/:id/draft',
    access: EDITORS,
    async handle(call) {
      await dropDraft(call.deps, idOf(call));
      return DONE;
    },
  },
  { method: 'post', path: '/api/courses/:id/here', access: EDITORS, handle: (call) => here(call.deps, idOf(call), call.account!) },
  {
    method: 'delete',
    path: '/api/courses/:id/here',
    access: EDITORS,
    async handle(call) {
      await leaveEditor(call.deps.db, idOf(call), call.account!.id);
      return DONE;
    },
  },
  {
    method: 'post',
    path: '/api/courses/:id/openings',
    access: EDITORS,
    handle: (call) => seeOpenings(call.deps, idOf(call), parse(ReleaseLook, call.req.body)),
  },
  {
    method: 'get',
    path: '/api/courses/:id/publish',
    access: EDITORS,
    handle: async (call) => {
      const job = {
        kind: 'publish-preview',
        words: await wordsOf(call, 'Looking at what publishing means for'),
        input: { id: idOf(call) },
      };
      return nowOrLater(call, manyOpen(call), job, () => previewPublish(call.deps, idOf(call)));
    },
  },
  {
    method: 'post',
    path: '/api/courses/:id/publish',
    access: EDITORS,
    handle: async (call) => {
      const input = { id: idOf(call), ...parse(Publishing, call.req.body) };
      const job = { kind: 'publish', words: await wordsOf(call, 'Publishing'), input };
      return nowOrLater(call, manyOpen(call), job, () => publishCourse(call.deps, input.id, input.version, call.account!.name));
    },
  },
  { method: 'get', path: '/api/courses/:id/live', access: EDITORS, handle: (call) => liveView(call.deps, idOf(call)) },
  {
    method: 'post',
    path: '/api/courses/:id/live',
    access: ADMINISTRATORS,
    handle: async (call) => {
      const input = { id: idOf(call), ...parse(Publishing, call.req.body) };
      const job = { kind: 'go-live', words: await wordsOf(call, 'Going live:'), input };
      return nowOrLater(call, isLarge(call.deps), job, () => goLive(call.deps, input.id, input.version, call.account!.name));
    },
  },
  {
    method: 'post',
    path: '/api/courses/:id/retire',
    access: ADMINISTRATORS,
    handle: async (call) => {
      const input = { id: idOf(call), retiring: parse(Retiring, call.req.body) };
      const job = { kind: 'retire', words: await wordsOf(call, 'Retiring'), input };
      return nowOrLater(call, isLarge(call.deps), job, () => retireCourse(call.deps, input.id, input.retiring, call.account!.name));
    },
  },
  {
    method: 'post',
    path: '/api/courses/:id/take-up',
    access: ADMINISTRATORS,
    async handle(call) {
      await takeUp(call.deps, idOf(call), call.account!.name);
      return DONE;
    },
  },
];
