import { Id, PlanDraft } from '@nudrik/contract';
import { MERGE_FIELDS, type PlanStep } from '@nudrik/core';
import { ADMINISTRATORS, OFFICE, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { findPlan, listPlans } from './plans.repo.ts';
import { previewPlan, publishPlan } from './publish.ts';

const draftOf = (body: unknown): PlanDraft & { steps: PlanStep[] } => parse(PlanDraft, body) as PlanDraft & { steps: PlanStep[] };

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
      if (!plan) throw new Refused('not-found', 'There is no such plan, or not any more.');
      return plan;
    },
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/preview',
    access: OFFICE,
    handle: ({ deps, req }) => previewPlan(deps, parse(Id, req.params['courseId']), draftOf(req.body)),
  },
  {
    method: 'post',
    path: '/api/plans/:courseId/publish',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => publishPlan(deps, parse(Id, req.params['courseId']), draftOf(req.body), account!.name),
  },
];
