import { isDeepStrictEqual } from 'node:util';
import { withToldSteps } from '@nudrik/core';
import type { CourseDraft } from '@nudrik/contract';
import type { Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { lockPlan, putPlan } from '../plans/plans.repo.ts';
import { partPlans } from '../plans/shared.ts';

/** Brings the plan of a course to what its quizzes say of whom they tell: a new version of it, where that changes it. */
export async function keepToldSteps(deps: Deps, client: Client, courseId: string, content: CourseDraft, byWhom: string): Promise<void> {
  const plan = await lockPlan(client, courseId);
  if (!plan) return;
  const quizzes = content.sections.flatMap(({ units }) =>
    units.flatMap(({ id, title, kind, quiz }) => (kind === 'quiz' && quiz && id ? [{ id, title, quiz }] : [])),
  );
  const steps = withToldSteps(plan.steps, quizzes);
  // by what they say: the database keeps fields in an order of its own
  if (isDeepStrictEqual(steps, plan.steps)) return;
  // steps that speak of its quizzes are nobody else's
  await partPlans(client, courseId);
  await putPlan(client, courseId, plan.version + 1, deps.clock.now(), byWhom, steps, 'Its quizzes tell somebody else.');
}
