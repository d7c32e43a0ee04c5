import { isDeepStrictEqual } from 'node:util';
import { leavesOfStep, tellList, type PlanStep } from '@nudrik/core';
import type { FollowRequest } from '@nudrik/contract';
import { announce, maybeRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseValues } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { listOpen, lockPlan, putPlan } from './plans.repo.ts';

/** A course that goes by the plan of another one. */
export interface Follower {
  id: string;
  title: string;
  version: number;
  open: number;
}

const LIST_FOLLOWERS = `
select c.id, c.title, p.version,
  coalesce((select sum(f.count) from figures_now f where f.what = 'open' and f.of_id = c.id), 0)::integer as open
from plans p
join courses c on c.id = p.course_id
where p.follows = $1::bigint
order by c.id
`;

/** The courses that go by the plan of another one, in the order in which they are locked. */
export const listFollowers = (db: Queryable, courseId: string): Promise<Follower[]> => rows<Follower>(db, LIST_FOLLOWERS, [courseId]);

const FIND_FOLLOWED = 'select c.id, c.title from plans p join courses c on c.id = p.follows where p.course_id = $1::bigint';

/** Whose plan a course goes by; null where it has one of its own. */
export const findFollowed = (db: Queryable, courseId: string): Promise<{ id: string; title: string } | null> =>
  maybeRow(db, FIND_FOLLOWED, [courseId]);

/** Refuses to write in a plan that is another course's. */
export async function refuseFollower(db: Queryable, courseId: string): Promise<void> {
  const followed = await findFollowed(db, courseId);
  if (followed)
    throw new Refused(
      'conflict',
      `This course goes by the plan of ${followed.title}. Give it a plan of its own first; nothing was changed.`,
    );
}

/** Steps that speak of units or sections of one course: nobody else has those. */
const ofUnits = (steps: readonly PlanStep[]): PlanStep[] =>
  steps.filter(
    (step) =>
      step.anchor.unit !== undefined ||
      step.anchor.section !== undefined ||
      leavesOfStep(step).some((leaf) =>
        ['unitFinished', 'unitOpened', 'quizPassed', 'quizScore', 'quizAttempts'].some((name) => name in leaf),
      ),
  );

/** Why steps cannot be shared, in a sentence, or null. */
export function sharingFault(steps: readonly PlanStep[]): string | null {
  const own = ofUnits(steps);
  if (own.length === 0) return null;
  const names = tellList(own.map(({ name }) => `“${name}”`));
  return `${names} ${own.length === 1 ? 'speaks' : 'speak'} of units of one course, which other courses do not have.`;
}

/** A version of one course's plan, as it is published: unsent notices of open assignments are worked out again. */
export async function putVersion(
  client: Client,
  courseId: string,
  before: { version: number; steps: readonly PlanStep[] },
  steps: readonly PlanStep[],
  by: { name: string; note: string | null; now: number },
): Promise<number> {
  const version = before.version + 1;
  await putPlan(client, courseId, version, by.now, by.name, steps, by.note);
  await releaseValues(client, courseId, rewordedSteps(before.steps, steps), by.now);
  await requestReplan(client, await listOpen(client, courseId));
  return version;
}

/** The steps whose text is another one in a draft. */
export function rewordedSteps(published: readonly PlanStep[], draft: readonly PlanStep[]): string[] {
  const before = new Map(published.map((step) => [step.id, JSON.stringify(step.message)]));
  return draft.filter((step) => before.has(step.id) && before.get(step.id) !== JSON.stringify(step.message)).map(({ id }) => id);
}

/** Publishes the steps of a plan for all courses that go by it. */
export async function putFollowers(
  client: Client,
  courseId: string,
  steps: readonly PlanStep[],
  by: { name: string; note: string | null; now: number },
): Promise<void> {
  for (const follower of await listFollowers(client, courseId)) {
    const before = await lockPlan(client, follower.id);
    if (before && !isDeepStrictEqual(before.steps, steps)) await putVersion(client, follower.id, before, steps, by);
  }
}

const SET_FOLLOWS = 'update plans set follows = $2::bigint where course_id = $1::bigint';
const PART = 'update plans set follows = null where course_id = $1::bigint or follows = $1::bigint';
const HAS_DRAFT = 'select saved_by from plan_drafts where course_id = $1::bigint';
const TITLE = 'select title from courses where id = $1::bigint';

/** The plan of a course is its own from now on, and nobody goes by it: something in it is of this course alone. */
export const partPlans = (client: Client, courseId: string): Promise<unknown> => client.query(PART, [courseId]);

/**
 * Lets a course go by the plan of another one, or gives it a plan of its own again, which begins with the same steps.
 * @throws Refused where the two cannot share: chains, drafts, steps that speak of units
 */
export async function followPlan(deps: Deps, courseId: string, { follows }: FollowRequest, byWhom: string): Promise<{ version: number }> {
  return transaction(deps.db, async (client) => {
    // both in one order, whoever asks for what
    const ids = [courseId, ...(follows === null ? [] : [follows])].sort((a, b) => Number(a) - Number(b));
    const plans = new Map<string, { version: number; steps: PlanStep[] }>();
    for (const id of ids) {
      const plan = await lockPlan(client, id);
      if (!plan) throw new Refused('not-found', 'There is no such plan, or not any more. Nothing was changed.');
      plans.set(id, plan);
    }
    const own = plans.get(courseId)!;
    if (follows === null) {
      await client.query(SET_FOLLOWS, [courseId, null]);
      await announce(client, 'plans');
      return { version: own.version };
    }
    const refuse = (words: string): never => {
      throw new Refused('conflict', `${words} Nothing was changed.`);
    };
    if (follows === courseId) refuse('A course cannot go by its own plan.');
    const { title } = (await maybeRow<{ title: string }>(client, TITLE, [follows]))!;
    const followed = await findFollowed(client, follows);
    if (followed) refuse(`${title} goes by the plan of ${followed.title} itself; choose that one.`);
    const followers = await listFollowers(client, courseId);
    if (followers.length > 0) refuse(`${tellList(followers.map((one) => one.title))} ${followers.length === 1 ? 'goes' : 'go'} by the plan of this course, so it cannot go by another one.`); // prettier-ignore
    const draft = await maybeRow<{ saved_by: string }>(client, HAS_DRAFT, [courseId]);
    if (draft) refuse(`${draft.saved_by} has a draft of this plan that is not published: publish it or leave it first.`);
    const theirs = plans.get(follows)!;
    const fault = sharingFault(theirs.steps);
    if (fault) refuse(`The plan of ${title} cannot be shared: ${fault}`);
    await client.query(SET_FOLLOWS, [courseId, follows]);
    const version = isDeepStrictEqual(own.steps, theirs.steps)
      ? own.version
      : await putVersion(client, courseId, own, theirs.steps, { name: byWhom, note: `By the plan of ${title}`, now: deps.clock.now() });
    await announce(client, 'plans');
    return { version };
  });
}
