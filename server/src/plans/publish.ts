import { stepFault, templateFault, tellMoment, type PlanStep } from '@nudrik/core';
import type { PlanDraft, PlanPreview } from '@nudrik/contract';
import { announce, rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { missingByStep, previewPeople } from '../assignments/preview.ts';
import { putPlan } from '../courses/save-course.ts';
import { loadFacts, type Facts } from '../notices/facts.ts';
import { listLedger } from '../notices/ledger.repo.ts';
import { compareWithLedger, requestReplan } from '../notices/plan.ts';
import { releaseHeld } from '../notices/release.repo.ts';
import { getHouse } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';

/** What is wrong with the steps of a draft: timing, unknown merge fields, ids that stand twice. */
export function planFaults(steps: readonly PlanStep[]): PlanPreview['faults'] {
  const faults: PlanPreview['faults'] = [];
  const seen = new Set<string>();
  for (const step of steps) {
    const fault = stepFault(step) ?? templateFault(step.message);
    if (fault) faults.push({ step: step.id, message: fault.startsWith('"') ? fault : `“${step.name}”: ${fault}` });
    if (seen.has(step.id)) faults.push({ step: step.id, message: `“${step.name}”: its id ${step.id} stands more than once.` });
    seen.add(step.id);
  }
  return faults;
}

const LIST_OPEN = 'select id from assignments where course_id = $1::bigint and closed_by is null order by id';

/** People worth looking at first: in another zone, on leave, not joined, unreachable; then the rest, by due date. */
const LIST_EXAMPLES = `
select a.id
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
cross join settings h
left join leaves l on l.person_id = p.id and l.to_on >= ($2::timestamptz)::date and l.from_on <= ($2::timestamptz)::date + 28
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
  const facts = await loadFacts(db, await getHouse(db), ids);
  const plan = facts.plans.get(courseId);
  if (plan) facts.plans.set(courseId, { ...plan, steps: [...steps], publishedAt: Math.max(plan.publishedAt, now) });
  return facts;
}

/** What publishing a draft would change, and when real people would hear of each step. Nothing is stored. */
export async function previewPlan(deps: Deps, courseId: string, draft: PlanDraft): Promise<PlanPreview> {
  const now = deps.clock.now();
  const faults = planFaults(draft.steps);
  const empty: PlanPreview = { added: 0, moved: 0, dropped: 0, kept: 0, changes: [], people: [], faults, missing: [] };
  if (faults.length > 0) return empty;
  const open = (await rows<{ id: string }>(deps.db, LIST_OPEN, [courseId])).map((row) => row.id);
  const facts = await draftFacts(deps.db, courseId, open, draft.steps, now);
  const ledger = await listLedger(deps.db, open);
  const change = compareWithLedger(facts, ledger, facts.house, now);
  const momentOf = new Map(ledger.map((entry) => [entry.id, entry]));
  const told = (personId: string, at: number | null): string | null =>
    at === null ? null : tellMoment(at, facts.roster.calendarOf(facts.roster.getPerson(personId)).zone);
  const nameOf = (personId: string): string => facts.roster.getPerson(personId).name;
  const planned = change.added.filter((row) => row.state === 'planned');
  const revived = change.moved.filter(({ id }) => momentOf.get(id)!.state === 'cancelled');
  const moved = change.moved.filter(({ id }) => momentOf.get(id)!.state !== 'cancelled');
  const stepName = new Map(draft.steps.map((step) => [step.id, step.name]));
  const changes: PlanPreview['changes'] = [
    ...[...planned, ...revived.map(({ row }) => row).filter((row) => row.state === 'planned')].map((row) => ({
      person: nameOf(row.personId),
      stepName: row.stepName,
      what: 'added' as const,
      from: null,
      to: told(row.personId, row.at),
    })),
    ...moved.map(({ id, row }) => ({
      person: nameOf(row.personId),
      stepName: row.stepName,
      what: 'moved' as const,
      from: told(row.personId, momentOf.get(id)!.at),
      to: row.state === 'planned' ? told(row.personId, row.at) : null,
    })),
    ...change.dropped.map(({ id }) => {
      const entry = momentOf.get(id)!;
      const person = facts.assignments.get(entry.assignment)!.person;
      return {
        person: nameOf(person),
        stepName: stepName.get(entry.step) ?? entry.step,
        what: 'dropped' as const,
        from: told(person, entry.at),
        to: null,
      };
    }),
  ];
  const exampleIds = (await rows<{ id: string }>(deps.db, LIST_EXAMPLES, [courseId, new Date(now)])).map((row) => row.id);
  const examples = await draftFacts(deps.db, courseId, exampleIds, draft.steps, now);
  const list = exampleIds.map((id) => examples.assignments.get(id)!);
  // the whole line of time of each, what has passed included: that is where a date mistyped shows
  const publishedAt = examples.plans.get(courseId)?.publishedAt ?? now;
  const { people } = previewPeople(
    list,
    draft.steps,
    Math.min(publishedAt, ...list.map((assignment) => assignment.assignedAt)),
    examples.roster,
    Math.min(now, ...list.map((assignment) => assignment.assignedAt)),
    now,
  );
  return {
    added: planned.length + revived.filter(({ row }) => row.state === 'planned').length,
    moved: moved.length,
    dropped: change.dropped.length,
    kept: change.kept,
    changes: changes.slice(0, 200),
    people,
    faults,
    missing: missingByStep([...facts.assignments.values()], draft.steps, facts, deps.settings.baseUrl, now),
  };
}

/** Publishes a new version: unsent notices of open assignments are worked out again. */
export async function publishPlan(deps: Deps, courseId: string, draft: PlanDraft, byWhom: string): Promise<{ version: number }> {
  const faults = planFaults(draft.steps);
  if (faults.length > 0)
    throw new Refused(
      'wrong-input',
      `${faults.map((fault) => fault.message).join(' ')} Nothing was published.`,
      faults.map(({ step, message }) => ({ where: step, message })),
    );
  return transaction(deps.db, async (client) => {
    const [plan] = await rows<{ version: number; steps: PlanStep[] }>(
      client,
      'select version, steps from plans where course_id = $1::bigint for update',
      [courseId],
    );
    if (!plan) throw new Refused('not-found');
    if (plan.version !== draft.version)
      throw new Refused(
        'stale',
        `Version ${plan.version} of this plan was published while you worked on version ${draft.version}. Look at it again; your draft was not published.`,
      );
    const version = plan.version + 1;
    const now = deps.clock.now();
    await putPlan(client, courseId, version, now, byWhom, draft.steps);
    const open = (await rows<{ id: string }>(client, LIST_OPEN, [courseId])).map((row) => row.id);
    await releaseHeld(client, open, now);
    await requestReplan(client, open);
    await announce(client, 'plans');
    return { version };
  });
}
