import { z } from 'zod';
import { Id, PlanDraft, PlanDraftDrop, PlanDraftSave } from '@nudrik/contract';
import { MERGE_FIELDS, type PlanStep } from '@nudrik/core';
import { ADMINISTRATORS, OFFICE, parse, type Route } from '../route.ts';
import { maybeRow, type Queryable } from '../db/db.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { nowOrLater } from '../work/routes.ts';
import { countOpen, findPlan, findVersion, listChoices, listPlans, listVersions } from './plans.repo.ts';
import { dropPlanDraft, savePlanDraft } from './draft.ts';
import { previewPlan, publishPlan } from './publish.ts';

const draftOf = (body: unknown): PlanDraft & { steps: PlanStep[] } => parse(PlanDraft, body) as PlanDraft & { steps: PlanStep[] };

const NO_PLAN = 'There is no such plan, or not any more.';
const HAS_PLAN = 'select 1 from plans where course_id = $1::bigint';
const refuseMissing = async (db: Queryable, id: string): Promise<void> => {
  if (!(await maybeRow(db, HAS_PLAN, [id]))) throw new Refused('not-found', NO_PLAN);
};

export const planRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/plans',
    access: OFFICE,
    handle: async ({ deps }) => listPlans(deps.db, await houseToday(deps)),
  },
  { method: 'get', path: '/api/merge-fields', access: OFFICE, handle: async () => MERGE_FIELDS },
  {
    method: 'get',
    path: '/api/plans/:courseId',
    access: OFFICE,
    async handle({ deps, req }) {
      const plan = await findPlan(deps.db, parse(Id, req.params['courseId']), await houseToday(deps));
      if (!plan) throw new Refused('not-found', NO_PLAN);
      return plan;
    },
  },
  {
    method: 'get',
    path: '/api/plans/:courseId/choices',
    access: OFFICE,
    async handle({ deps, req }) {
      const id = parse(Id, req.params['courseId']);
      await refuseMissing(deps.db, id);
      return listChoices(deps.db, id);
    },
  },
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
    method: 'get',
    path: '/api/plans/:courseId/versions',
    access: OFFICE,
    async handle({ deps, req }) {
      const id = parse(Id, req.params['courseId']);
      await refuseMissing(deps.db, id);
      return listVersions(deps.db, id);
    },
  },
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
    path: '/api/plans/:courseId/publish',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => publishPlan(deps, parse(Id, req.params['courseId']), draftOf(req.body), account!.name),
  },
];
