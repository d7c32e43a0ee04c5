import { compileAudience, dateOf, tellAudience, tellDueRule, tellRequirement, Zone, type Change, type WhenOut } from '@nudrik/core';
import type { CourseState, Outside, RequirementDraft, RequirementResult } from '@nudrik/contract';
import { announce, maybeRow, oneRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { applyChanges } from './apply.ts';
import { findRequirementRow, listRequirementPeople, loadNames, loadStructure, requirementOf, type RequirementDbRow } from './facts.ts';
import { draftOf } from './preview.ts';
import { countAudience, reconcileCourse } from './reconcile.ts';

const WRITE = `
name = $2::text, course_id = $3::bigint, audience = $4::jsonb, due = $5::jsonb, due_time = $6::text, grace_days = $7::integer,
  credit_months = $8::integer, renewal = $9::jsonb,
from_on = $10::date, until_on = $11::date, takes_joiners = $12::boolean, when_out = $13::text, changed_at = $14::timestamptz, changed_by = $15::text
`;
const INSERT = `
insert into requirements (name, course_id, audience, due, due_time, grace_days, credit_months, renewal, from_on, until_on, takes_joiners,
  when_out, changed_at, changed_by)
values ($1::text, $2::bigint, $3::jsonb, $4::jsonb, $5::text, $6::integer, $7::integer, $8::jsonb, $9::date, $10::date, $11::boolean,
  $12::text, $13::timestamptz, $14::text)
returning id
`;

const valuesOf = (draft: RequirementDraft, now: number, byWhom: string): unknown[] => [
  draft.name,
  draft.courseId,
  JSON.stringify(draft.audience),
  JSON.stringify(draft.due),
  draft.dueTime,
  draft.graceDays,
  draft.creditMonths,
  draft.renewal && JSON.stringify(draft.renewal),
  draft.from,
  draft.until,
  draft.takesJoiners,
  draft.whenOut,
  new Date(now),
  byWhom,
];

const HAS_NAMESAKE = `
select 1
from requirements
where lower(name) = lower($1::text)
  and id is distinct
from $2::bigint
`;

async function refuseTaken(client: Client, name: string, id: string | null): Promise<void> {
  const other = await maybeRow(client, HAS_NAMESAKE, [name, id]);
  if (other)
    throw new Refused(
      'conflict',
      `There is a requirement “${name}” already. Give this one a name that tells the two apart; nothing was changed.`,
    );
}

const GET_COURSE = 'select title, state, cardinality(required_units) as required from courses where id = $1::bigint';

async function courseOf(client: Queryable, id: string): Promise<{ title: string; state: CourseState; required: number }> {
  const course = await maybeRow<{ title: string; state: CourseState; required: number }>(client, GET_COURSE, [id]);
  if (!course) throw new Refused('wrong-input', `There is no course ${id}. Nothing was changed.`);
  return course;
}

const INSERT_REQUIREMENT_EVENT = `
insert into requirement_events (requirement_id, at, by_whom, what, words, rules)
values ($1::bigint, $2::timestamptz, $3::text, $4::text, $5::text, $6::text[])
`;

/** Its rules in words, as they are now. */
export async function tellRules(db: Queryable, row: RequirementDbRow): Promise<string[]> {
  const { title } = await courseOf(db, row.course_id);
  return tellRequirement(requirementOf(row), title, await loadNames(db, [row.audience]));
}

/** What became of a requirement, and its rules in words as they are from then on. */
async function record(client: Client, id: string, now: number, byWhom: string, what: string, words: string): Promise<void> {
  const rules = await tellRules(client, (await findRequirementRow(client, id))!);
  await client.query(INSERT_REQUIREMENT_EVENT, [id, new Date(now), byWhom, what, words, rules]);
}

/** Keeps a new requirement, switched off: nobody is assigned anything yet. */
export async function addRequirement(deps: Deps, draft: RequirementDraft, byWhom: string): Promise<{ id: string }> {
  return transaction(deps.db, async (client) => {
    await refuseTaken(client, draft.name, null);
    await courseOf(client, draft.courseId);
    const now = deps.clock.now();
    const { id } = await oneRow<{ id: string }>(client, INSERT, valuesOf(draft, now, byWhom));
    await countAudience(client, deps, (await findRequirementRow(client, id))!);
    await record(client, id, now, byWhom, 'written', 'Written, and not switched on yet.');
    await announce(client, 'requirements');
    return { id };
  });
}

const LOCK_ROSTER = 'lock table people in share mode';

async function getLocked(client: Client, id: string, version: number): Promise<RequirementDbRow> {
  const row = await findRequirementRow(client, id, true);
  if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
  if (row.version !== version)
    throw new Refused('stale', `${row.changed_by} changed “${row.name}” in the meantime. Load it again; nothing was changed.`);
  // whoever joins or moves while everyone is looked at is looked at after that
  await client.query(LOCK_ROSTER);
  return row;
}

function resultOf(id: string, changes: readonly Change[]): RequirementResult {
  const count = (...kinds: Change['kind'][]): number => changes.filter(({ kind }) => kinds.includes(kind)).length;
  return {
    id,
    assigned: count('assign', 'take-up'),
    attached: count('attach'),
    withdrawn: count('withdraw'),
    kept: count('keep'),
    asked: count('ask'),
  };
}

const INSERT_MEMBERS = `
insert into requirement_members (requirement_id, person_id)
select $1::bigint, unnest($2::bigint[])
on conflict do nothing
`;

const DELETE_REQUIREMENT_MEMBERS = 'delete from requirement_members where requirement_id = $1::bigint';

/** Keeps who is in now, where a requirement does not take in those who come later. */
async function keepMembers(client: Client, row: RequirementDbRow, now: number): Promise<void> {
  await client.query(DELETE_REQUIREMENT_MEMBERS, [row.id]);
  if (row.takes_joiners) return;
  const today = dateOf(Zone.of((await getHouse(client)).zone).dayAt(now));
  const { test } = compileAudience(row.audience, await loadStructure(client, null), today);
  const people = await listRequirementPeople(client, null);
  await client.query(INSERT_MEMBERS, [
    row.id,
    people.filter((person) => (person.leftOn === null || person.leftOn > today) && test(person)).map(({ id }) => id),
  ]);
}

const tellResult = (result: RequirementResult): string => {
  const parts = [
    result.assigned ? `${result.assigned} assigned` : '',
    result.attached ? `${result.attached} had it open already` : '',
    result.withdrawn ? `${result.withdrawn} withdrawn` : '',
    result.kept ? `${result.kept} kept` : '',
    result.asked ? `${result.asked} to be decided` : '',
  ].filter(Boolean);
  return parts.length ? parts.join(', ') : 'nobody’s assignments changed';
};

const SWITCH_ON = `
update requirements
set is_on = true, on_with_course = false, is_counted = true, switched_on_at = $2::timestamptz, version = version + 1, changed_at = $2::timestamptz, changed_by = $3::text
where id = $1::bigint
`;

/**
 * Switches a requirement on: everyone whom it asks is assigned in the same moment. Of a course that is not live yet it waits,
 * and goes on with it.
 */
export async function switchOn(deps: Deps, id: string, version: number, byWhom: string, work: Work = AT_ONCE): Promise<RequirementResult> {
  return transaction(deps.db, async (client) => {
    const result = await switchOnIn(deps, client, id, version, byWhom, work);
    await work.finish(client, result);
    return result;
  });
}

/** The same in the caller's transaction. */
export async function switchOnIn(
  deps: Deps,
  client: Client,
  id: string,
  version: number,
  byWhom: string,
  work: Work,
): Promise<RequirementResult> {
  const row = await getLocked(client, id, version);
  if (row.is_on) throw new Refused('conflict', `“${row.name}” is on already; nothing was changed.`);
  const course = await courseOf(client, row.course_id);
  if (course.state === 'retired')
    throw new Refused(
      'conflict',
      `${course.title} is retired, and nobody new is asked for it. Take it up again first; nothing was changed.`,
    );
  const now = deps.clock.now();
  if (course.state === 'draft') {
    if (row.on_with_course)
      throw new Refused('conflict', `“${row.name}” waits for ${course.title} to go live already; nothing was changed.`);
    await client.query(WAIT_FOR_COURSE, [id, new Date(now), byWhom]);
    await record(client, id, now, byWhom, 'waits', `Waits for ${course.title} to go live, and goes on with it.`);
    await announce(client, 'requirements');
    return resultOf(id, []);
  }
  if (course.required === 0)
    throw new Refused(
      'conflict',
      `${course.title} has no required unit, so nobody could finish it. Add one before you switch this on; nothing was changed.`,
    );
  await client.query(SWITCH_ON, [id, new Date(now), byWhom]);
  await keepMembers(client, row, now);
  const result = resultOf(id, await reconcileCourse(client, row.course_id, now, byWhom, undefined, work));
  await record(client, id, now, byWhom, 'switched on', `Switched on: ${tellResult(result)}.`);
  return result;
}

const WAIT_FOR_COURSE = `
update requirements
set on_with_course = true, version = version + 1, changed_at = $2::timestamptz, changed_by = $3::text
where id = $1::bigint
`;

const SWITCH_OFF = `
update requirements
set is_on = false, on_with_course = false, version = version + 1, changed_at = $2::timestamptz, changed_by = $3::text
where id = $1::bigint
`;

/** Switches a requirement off; what is open because of it alone is withdrawn or kept, as somebody says. */
export async function switchOff(
  deps: Deps,
  id: string,
  version: number,
  outside: 'withdraw' | 'keep',
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<RequirementResult> {
  return transaction(deps.db, async (client) => {
    const result = await switchOffIn(deps, client, id, version, outside, byWhom, work);
    await work.finish(client, result);
    return result;
  });
}

/** The same in the caller's transaction. */
export async function switchOffIn(
  deps: Deps,
  client: Client,
  id: string,
  version: number,
  outside: 'withdraw' | 'keep',
  byWhom: string,
  work: Work,
): Promise<RequirementResult> {
  const row = await getLocked(client, id, version);
  if (!row.is_on && !row.on_with_course) throw new Refused('conflict', `“${row.name}” is off already; nothing was changed.`);
  const now = deps.clock.now();
  await client.query(SWITCH_OFF, [id, new Date(now), byWhom]);
  if (!row.is_on) {
    await record(client, id, now, byWhom, 'switched off', 'Waits for its course no longer.');
    await announce(client, 'requirements');
    return resultOf(id, []);
  }
  const result = resultOf(id, await reconcileCourse(client, row.course_id, now, byWhom, new Map([[id, outside]]), work));
  await record(client, id, now, byWhom, 'switched off', `Switched off: ${tellResult(result)}.`);
  return result;
}

/** What of a requirement was changed, in words, for its record. */
async function tellChange(client: Client, was: RequirementDraft, draft: RequirementDraft): Promise<string> {
  const names = await loadNames(client, [was.audience, draft.audience]);
  const parts: string[] = [];
  const told = (what: string, from: string, to: string): void => {
    if (from !== to) parts.push(`${what} from “${from}” to “${to}”`);
  };
  told('the name', was.name, draft.name);
  told('the audience', tellAudience(was.audience, names), tellAudience(draft.audience, names));
  told('the due rule', tellDueRule(was.due), tellDueRule(draft.due));
  const rest = (['dueTime', 'graceDays', 'creditMonths', 'renewal', 'from', 'until', 'takesJoiners', 'whenOut'] as const).filter(
    (key) => JSON.stringify(was[key]) !== JSON.stringify(draft[key]),
  );
  const WORDS = {
    dueTime: 'the time of day',
    graceDays: 'the days of grace',
    creditMonths: 'what counts',
    renewal: 'the renewal',
    from: 'the first day',
    until: 'the last day',
    takesJoiners: 'who comes in later',
    whenOut: 'what becomes of those who leave',
  };
  parts.push(...rest.map((key) => WORDS[key]));
  return parts.length ? `Changed ${parts.join('; ')}` : 'Kept as it was';
}

/** Changes a requirement. One that is on takes hold at once; `outside` says what becomes of those who fall out. */
export async function changeRequirement(
  deps: Deps,
  id: string,
  version: number,
  draft: RequirementDraft,
  outside: Outside,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<RequirementResult> {
  return transaction(deps.db, async (client) => {
    const row = await getLocked(client, id, version);
    await refuseTaken(client, draft.name, id);
    await courseOf(client, draft.courseId);
    if (row.switched_on_at && row.course_id !== draft.courseId)
      throw new Refused(
        'conflict',
        `“${row.name}” was switched on for its course, and people have it from that. Write another requirement for the other course; nothing was changed.`,
      );
    const now = deps.clock.now();
    const words = await tellChange(client, draftOf(row), draft);
    await client.query(`update requirements set ${WRITE}, version = version + 1 where id = $1::bigint`, [
      id,
      ...valuesOf(draft, now, byWhom),
    ]);
    let result: RequirementResult = { id, assigned: 0, attached: 0, withdrawn: 0, kept: 0, asked: 0 };
    if (row.is_on) {
      const changed = (await findRequirementRow(client, id))!;
      if (
        row.takes_joiners !== changed.takes_joiners ||
        (!changed.takes_joiners && JSON.stringify(row.audience) !== JSON.stringify(changed.audience))
      )
        await keepMembers(client, changed, now);
      const said: ReadonlyMap<string, WhenOut> = outside === 'ask' ? new Map() : new Map([[id, outside]]);
      result = resultOf(id, await reconcileCourse(client, row.course_id, now, byWhom, said, work));
    } else await countAudience(client, deps, (await findRequirementRow(client, id))!);
    await record(client, id, now, byWhom, 'changed', `${words}${row.is_on ? `: ${tellResult(result)}` : ''}.`);
    await announce(client, 'requirements');
    await work.finish(client, result);
    return result;
  });
}

const DELETE_REQUIREMENT = 'delete from requirements where id = $1::bigint';

/** Removes a requirement that was never on: one that was stays on the record, switched off. */
export async function removeRequirement(deps: Deps, id: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const row = await findRequirementRow(client, id, true);
    if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
    if (row.switched_on_at)
      throw new Refused(
        'conflict',
        `“${row.name}” was switched on, so it stays on the record. Switch it off instead; nothing was changed.`,
      );
    await client.query(DELETE_REQUIREMENT, [id]);
    await announce(client, 'requirements');
  });
}

const LIST_OUT = `
select r.assignment_id as assignment, a.person_id as person, p.name
from assignment_reasons r
join assignments a on a.id = r.assignment_id and a.closed_by is null
join people p on p.id = a.person_id
where r.requirement_id = $1::bigint
  and r.assignment_id = any($2::bigint[])
  and r.out_since is not null
for update of r
`;

/** Says what becomes of open assignments whose people left the audience. */
export async function decideOutside(
  deps: Deps,
  id: string,
  assignmentIds: readonly string[],
  outside: 'withdraw' | 'keep',
  byWhom: string,
): Promise<RequirementResult> {
  return transaction(deps.db, async (client) => {
    const row = await findRequirementRow(client, id, true);
    if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
    const found = await rows<{ assignment: string; person: string; name: string }>(client, LIST_OUT, [id, assignmentIds]);
    if (found.length === 0)
      throw new Refused(
        'conflict',
        'There is nothing to decide any more: they are in the audience again, or it was decided. Nothing was changed.',
      );
    const now = deps.clock.now();
    const changes = found.map(({ assignment, person, name }): Change =>
      outside === 'keep'
        ? { kind: 'keep', assignment, requirement: id }
        : { kind: 'withdraw', person, assignment, because: 'out', words: `${name} is no longer in the audience of “${row.name}”` },
    );
    const result = resultOf(id, await applyChanges(client, changes, now, byWhom));
    await record(
      client,
      id,
      now,
      byWhom,
      'decided',
      `${found
        .map(({ name }) => name)
        .slice(0, 5)
        .join(', ')}${found.length > 5 ? ` and ${found.length - 5} more` : ''}, no longer in the audience: ${tellResult(result)}.`,
    );
    return result;
  });
}
