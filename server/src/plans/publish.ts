import { clauseOf, planFaults, tellMoment, type PlanStep } from '@nudrik/core';
import type { PlanDraft, PlanPreview } from '@nudrik/contract';
import { announce, rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { fileFaults } from '../handouts/files.ts';
import { listPlanFacts, loadFacts, type Facts } from '../notices/facts.ts';
import { foresee, foreseenWarnings, missingByStep, type Foreseen } from '../notices/foresee.ts';
import { listLedger, type LedgerRow, type NoticeInsert } from '../notices/ledger.repo.ts';
import { compareWithLedger, type PlanChange } from '../notices/plan.ts';
import { getHouse } from '../house/house.ts';
import { deadLinkFaults } from '../messages/links.ts';
import { Refused } from '../refusal.ts';
import { LOOKED_AT, warningsOf } from './warnings.ts';
import { endDraft } from './draft.ts';
import { listOpen, lockPlan } from './plans.repo.ts';
import { listFollowers, putFollowers, putVersion, refuseFollower, rewordedSteps, sharingFault } from './shared.ts';

/** People worth looking at first: in another zone, on leave, not joined, unreachable; then the rest, by due date. */
const LIST_EXAMPLES = `
select a.id
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
cross join settings h
left join leaves l on l.person_id = p.id and (l.to_on is null or l.to_on >= ($2::timestamptz)::date) and l.from_on <= ($2::timestamptz)::date + 28
where a.course_id = $1::bigint
order by
  a.closed_by is not null, row_number() over (
    partition by s.zone = h.house_zone, l.id is not null, a.assigned_at > $2::timestamptz, a.due_at < $2::timestamptz, a.closed_by is not null
    order by abs(extract(epoch from a.due_at - $2::timestamptz - interval '3 days')), a.id
  ),
  a.due_at desc
limit 6
`;

async function draftFacts(
  db: Queryable,
  courseId: string,
  ids: readonly string[],
  steps: readonly PlanStep[],
  now: number,
): Promise<Facts> {
  return loadFacts(db, await getHouse(db), ids, { course: courseId, steps, publishedAt: now });
}

const NO_PREVIEW: PlanPreview = {
  added: 0,
  moved: 0,
  dropped: 0,
  kept: 0,
  changes: [],
  people: [],
  faults: [],
  missing: [],
  warnings: [],
  found: [],
  followers: [],
  bySteps: [],
};

/** Notices that wait for a value, of steps whose text a draft changes: publishing decides them anew. */
const LIST_WAITING = `
select id, assignment_id, step_id
from notices
where course_id = $1::bigint
  and state = 'held'
  and held_because = 'missing-value'
  and step_id = any($2::text[])
`;

/** When a notice that is planned for a moment would go, by core: at that moment, or held beyond it, and why. */
function foreseenMoment(row: NoticeInsert, facts: Facts): string {
  const { roster } = facts;
  const { zone } = roster.calendarOf(roster.getPerson(row.personId));
  const moment = tellMoment(row.at, zone, row.at);
  return row.sentence === null ? moment : `${moment}: ${clauseOf(row.sentence)}`;
}

/** What keeps a draft from being published, by step. */
const draftFaults = async (deps: Deps, steps: readonly PlanStep[], inForce: readonly PlanStep[]): Promise<{ step: string; message: string }[]> => [...planFaults(steps), ...(await fileFaults(deps.db, steps)), ...(await deadLinkFaults(deps, steps, inForce))]; // prettier-ignore

const stepsInForce = async (db: Queryable, courseId: string): Promise<readonly PlanStep[]> => (await listPlanFacts(db, [courseId]))[0]?.steps ?? []; // prettier-ignore

/** What publishing a draft would change, and when real people would hear of each step. Nothing is stored. */
export async function previewPlan(deps: Deps, courseId: string, draft: PlanDraft): Promise<PlanPreview> {
  const now = deps.clock.now();
  const inForce = await stepsInForce(deps.db, courseId);
  const faults = await draftFaults(deps, draft.steps, inForce);
  if (faults.length > 0) return { ...NO_PREVIEW, faults };
  const open = await listOpen(deps.db, courseId);
  const facts = await draftFacts(deps.db, courseId, open, draft.steps, now);
  const ledger = await listLedger(deps.db, open);
  const change = compareWithLedger(facts, ledger, facts.house, now);
  const examples = await foreseeExamples(deps, courseId, draft.steps, now);
  const waiting = await rows<{ id: string; assignment_id: string; step_id: string }>(deps.db, LIST_WAITING, [
    courseId,
    rewordedSteps(inForce, draft.steps),
  ]);
  return {
    ...tellChanges(change, ledger, waiting, draft.steps, facts),
    followers: await followersChange(deps, courseId, draft.steps, now),
    people: examples.people,
    faults,
    missing: missingByStep([...facts.assignments.values()], draft.steps, facts, now),
    warnings: foreseenWarnings(draft.steps, examples.lines, facts.house, false),
    found: warningsOf({
      steps: facts.plans.get(courseId)?.steps ?? draft.steps,
      assignments: [...facts.assignments.values()].slice(-LOOKED_AT),
      roster: facts.roster,
      course: facts.courses.get(courseId)!,
      now,
      zone: facts.house.zone,
    }),
  };
}

/** What publishing a draft would change for each course that goes by the plan. */
async function followersChange(deps: Deps, courseId: string, steps: readonly PlanStep[], now: number): Promise<PlanPreview['followers']> {
  const found: PlanPreview['followers'] = [];
  for (const { id, title, open } of await listFollowers(deps.db, courseId)) {
    const ids = await listOpen(deps.db, id);
    const facts = await draftFacts(deps.db, id, ids, steps, now);
    const ledger = await listLedger(deps.db, ids);
    const change = compareWithLedger(facts, ledger, facts.house, now);
    const { added, moved, dropped, kept } = tellChanges(change, ledger, [], steps, facts);
    found.push({ course: { id, title }, open, added, moved, dropped, kept });
  }
  return found;
}

/** How many notices of each step are added, moved and dropped. */
function countSteps(changes: PlanPreview['changes']): PlanPreview['bySteps'] {
  const counts = new Map<string, PlanPreview['bySteps'][number]>();
  for (const { stepName, what } of changes) {
    if (what === 'decided anew') continue;
    const count = counts.get(stepName) ?? { stepName, added: 0, moved: 0, dropped: 0 };
    count[what] += 1;
    counts.set(stepName, count);
  }
  return [...counts.values()];
}

/** The change set in words: each notice that is added, moved, dropped or decided anew, with its person and moments. */
function tellChanges(
  change: PlanChange,
  ledger: readonly LedgerRow[],
  waiting: readonly { assignment_id: string; step_id: string }[],
  steps: readonly PlanStep[],
  facts: Facts,
): Pick<PlanPreview, 'added' | 'moved' | 'dropped' | 'kept' | 'changes' | 'bySteps'> {
  const entryOf = new Map(ledger.map((entry) => [entry.id, entry]));
  const stepName = new Map(steps.map((step) => [step.id, step.name]));
  const personOf = (assignment: string): string => facts.assignments.get(assignment)!.person;
  const nameOf = (person: string): string => facts.roster.getPerson(person).name;
  const told = (person: string, at: number | null): string | null =>
    at === null ? null : tellMoment(at, facts.roster.calendarOf(facts.roster.getPerson(person)).zone, at);
  const ofLedger = (id: string): { person: string; stepName: string } => {
    const { assignment, step } = entryOf.get(id)!;
    return { person: nameOf(personOf(assignment)), stepName: stepName.get(step) ?? step };
  };
  const toldOf = (id: string, at: number | null): string | null => told(personOf(entryOf.get(id)!.assignment), at);
  const wasCancelled = ({ id }: { id: string }): boolean => entryOf.get(id)!.state === 'cancelled';
  const added = [...change.added, ...change.moved.filter(wasCancelled).map(({ row }) => row)].filter((row) => row.state === 'planned');
  const moved = change.moved.filter((entry) => !wasCancelled(entry));
  const changes: PlanPreview['changes'] = [
    ...added.map((row) => ({
      person: nameOf(row.personId),
      stepName: row.stepName,
      what: 'added' as const,
      from: null,
      to: foreseenMoment(row, facts),
    })),
    ...change.resumed.map(({ id, at }) => ({ ...ofLedger(id), what: 'added' as const, from: null, to: toldOf(id, at) })),
    ...moved.map(({ id, row }) => ({
      person: nameOf(row.personId),
      stepName: row.stepName,
      what: 'moved' as const,
      from: told(row.personId, entryOf.get(id)!.at),
      to: row.state === 'planned' ? foreseenMoment(row, facts) : null,
    })),
    ...change.dropped.map(({ id }) => ({ ...ofLedger(id), what: 'dropped' as const, from: toldOf(id, entryOf.get(id)!.at), to: null })),
    ...waiting
      .filter(({ assignment_id }) => facts.assignments.has(assignment_id))
      .map(({ assignment_id, step_id }) => ({
        person: nameOf(personOf(assignment_id)),
        stepName: stepName.get(step_id) ?? step_id,
        what: 'decided anew' as const,
        from: 'held for a value',
        to: 'its text is another one',
      })),
  ];
  return {
    added: added.length + change.resumed.length,
    moved: moved.length,
    dropped: change.dropped.length,
    kept: change.kept,
    changes: changes.slice(0, 200),
    bySteps: countSteps(changes),
  };
}

/** The whole line of time of real people, what has passed included: that is where a date mistyped shows. */
async function foreseeExamples(deps: Deps, courseId: string, steps: readonly PlanStep[], now: number): Promise<Foreseen> {
  const ids = (await rows<{ id: string }>(deps.db, LIST_EXAMPLES, [courseId, new Date(now)])).map((row) => row.id);
  const facts = await draftFacts(deps.db, courseId, ids, steps, now);
  const assignments = ids.map((id) => facts.assignments.get(id)!);
  const first = Math.min(...assignments.map(({ assignedAt }) => assignedAt));
  const all = facts.plans.get(courseId)?.steps ?? steps;
  const look = (list: readonly PlanStep[]): Foreseen =>
    foresee({
      assignments,
      steps: list,
      publishedAt: Math.min(facts.plans.get(courseId)?.publishedAt ?? now, first),
      facts,
      from: Math.min(now, first),
      now,
    });
  const found = look(all);
  const off = new Set(all.filter(({ on }) => !on).map(({ id }) => id));
  if (off.size === 0) return found;
  // what is switched off is shown as it would be if it were on; it moves nothing else
  const asOn = new Map(look(all.map((step) => ({ ...step, on: true }))).people.map((person) => [person.assignmentId, person.notices]));
  return {
    ...found,
    people: found.people.map((person) => ({
      ...person,
      notices: [...person.notices, ...(asOn.get(person.assignmentId) ?? []).filter(({ step }) => off.has(step))],
    })),
  };
}

/** Publishes a new version: unsent notices of open assignments are worked out again. */
export async function publishPlan(deps: Deps, courseId: string, draft: PlanDraft, byWhom: string): Promise<{ version: number }> {
  const faults = await draftFaults(deps, draft.steps, await stepsInForce(deps.db, courseId));
  if (faults.length > 0)
    throw new Refused(
      'wrong-input',
      `${faults.map((fault) => fault.message).join(' ')} Nothing was published.`,
      faults.map(({ step, message }) => ({ where: step, message })),
    );
  return transaction(deps.db, async (client) => {
    const plan = await lockPlan(client, courseId);
    if (!plan) throw new Refused('not-found');
    if (plan.version !== draft.version)
      throw new Refused(
        'stale',
        `Version ${plan.version} of this plan was published while you worked on version ${draft.version}. Look at it again; your draft was not published.`,
      );
    await refuseFollower(client, courseId);
    const fault = (await listFollowers(client, courseId)).length > 0 ? sharingFault(draft.steps) : null;
    if (fault) throw new Refused('conflict', `Other courses go by this plan: ${fault} Nothing was published.`);
    await endDraft(deps, client, courseId, draft.written);
    const by = { name: byWhom, note: draft.note || null, now: deps.clock.now() };
    const version = await putVersion(client, courseId, plan, draft.steps, by);
    await putFollowers(client, courseId, draft.steps, by);
    await announce(client, 'plans');
    return { version };
  });
}
