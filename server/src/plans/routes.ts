import { z } from 'zod';
import {
  FollowRequest,
  Id,
  LetterRequest,
  PlanDraft,
  PlanDraftDrop,
  PlanDraftSave,
  PlanFileRead,
  PlanFileRequest,
  SenderRequest,
  ToldInRequest,
  StepId,
} from '@nudrik/contract';
import { MERGE_FIELDS, type PlanStep } from '@nudrik/core';
import { ADMINISTRATORS, OFFICE, parse, type Route } from '../route.ts';
import type { Queryable } from '../db/db.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { nowOrLater } from '../work/routes.ts';
import { countOpen, findPlan, findVersion, hasPlan, listChoices, listPlans, listVersions } from './plans.repo.ts';
import { dropPlanDraft, savePlanDraft } from './draft.ts';
import { findFollowed, followPlan, listFollowers } from './shared.ts';
import { planFile, takePlanFile } from './plan-file.ts';
import { messageLibrary, messageVersions } from '../messages/library.ts';
import { letterView, sendTestLetter } from '../messages/letters.ts';
import { chatOfPlan, setToldIn } from '../chat/told-in.ts';
import { sendersOf, setSender } from './sender.ts';
import { previewPlan, publishPlan } from './publish.ts';

const draftOf = (body: unknown): PlanDraft & { steps: PlanStep[] } => parse(PlanDraft, body) as PlanDraft & { steps: PlanStep[] };

const NO_PLAN = 'There is no such plan, or not any more.';

/** What is read of a plan that is there. */
const ofPlan = (what: string, read: (db: Queryable, id: string) => Promise<unknown>): Route => ({
  method: 'get',
  path: `/api/plans/:courseId/${what}`,
  access: OFFICE,
  async handle({ deps, req }) {
    const id = parse(Id, req.params['courseId']);
    if (!(await hasPlan(deps.db, id))) throw new Refused('not-found', NO_PLAN);
    return read(deps.db, id);
  },
});

export const planRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/plans',
    access: OFFICE,
    handle: async ({ deps }) => listPlans(deps.db, await houseToday(deps)),
  },
  { method: 'get', path: '/api/messages', access: OFFICE, handle: async ({ deps }) => messageLibrary(deps.db, await houseToday(deps)) },
  {
    method: 'get',
    path: '/api/messages/:courseId/:step/versions',
    access: OFFICE,
    async handle({ deps, req }) {
      const found = await messageVersions(deps.db, parse(Id, req.params['courseId']), parse(StepId, req.params['step']));
      if (found.length === 0) throw new Refused('not-found', 'There is no such message, or not any more.');
      return found;
    },
  },
  { method: 'get', path: '/api/merge-fields', access: OFFICE, handle: async () => MERGE_FIELDS },
  {
    method: 'get',
    path: '/api/plans/:courseId',
    access: OFFICE,
    async handle({ deps, req }) {
      const plan = await findPlan(deps.db, parse(Id, req.params['courseId']), await houseToday(deps));
      if (!plan) throw new Refused('not-found', NO_PLAN);
      const { id } = plan.course;
      return {
        ...plan,
        senders: await sendersOf(deps, id),
        chat: await chatOfPlan(deps, id),
        follows: await findFollowed(deps.db, id),
        followers: (await listFollowers(deps.db, id)).map(({ id: of, title, open }) => ({ id: of, title, open })),
      };
    },
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/follow',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => followPlan(deps, parse(Id, req.params['courseId']), parse(FollowRequest, req.body), account!.name),
  },
  {
    method: 'put',
    path: '/api/plans/:courseId/sender',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => setSender(deps, parse(Id, req.params['courseId']), parse(SenderRequest, req.body), account!.name),
  },
  {
    method: 'put',
    path: '/api/plans/:courseId/told-in',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => setToldIn(deps, parse(Id, req.params['courseId']), parse(ToldInRequest, req.body), account!.name),
  },
  ofPlan('choices', listChoices),
  {
    method: 'put',
    path: '/api/plans/:courseId/draft',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) =>
      savePlanDraft(deps, parse(Id, req.params['courseId']), parse(PlanDraftSave, req.body), account!.name),
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/draft/drop',
    access: ADMINISTRATORS,
    handle: ({ deps, req }) => dropPlanDraft(deps, parse(Id, req.params['courseId']), parse(PlanDraftDrop, req.body)),
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/file',
    access: OFFICE,
    async handle({ deps, req }) {
      const id = parse(Id, req.params['courseId']);
      if (!(await hasPlan(deps.db, id))) throw new Refused('not-found', NO_PLAN);
      return planFile(deps.db, id, parse(PlanFileRequest, req.body).steps as PlanStep[]);
    },
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/file/read',
    access: ADMINISTRATORS,
    async handle({ deps, req }) {
      const id = parse(Id, req.params['courseId']);
      if (!(await hasPlan(deps.db, id))) throw new Refused('not-found', NO_PLAN);
      return takePlanFile(deps.db, id, parse(PlanFileRead, req.body).text);
    },
  },
  ofPlan('versions', listVersions),
  {
    method: 'get',
    path: '/api/plans/:courseId/versions/:version',
    access: OFFICE,
    async handle({ deps, req }) {
      const number = parse(z.coerce.number().int().min(1).max(2_000_000_000), req.params['version']);
      const steps = await findVersion(deps.db, parse(Id, req.params['courseId']), number);
      if (!steps) throw new Refused('not-found', `There is no version ${number} of this plan.`);
      return steps;
    },
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/preview',
    access: OFFICE,
    async handle(call) {
      const input = { course: parse(Id, call.req.params['courseId']), draft: draftOf(call.req.body) };
      const job = { kind: 'plan-preview', words: 'Working out what publishing would change', input };
      const isLong = (await countOpen(call.deps.db, input.course)) > call.deps.settings.jobAbove;
      return nowOrLater(call, isLong, job, () => previewPlan(call.deps, input.course, input.draft));
    },
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/letter',
    access: OFFICE,
    handle: ({ deps, req }) => letterView(deps, parse(Id, req.params['courseId']), parse(LetterRequest, req.body)),
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/letter/test',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => sendTestLetter(deps, parse(Id, req.params['courseId']), parse(LetterRequest, req.body), account!),
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/publish',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => publishPlan(deps, parse(Id, req.params['courseId']), draftOf(req.body), account!.name),
  },
];
