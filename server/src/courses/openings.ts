import { Calendar, openingsOf, tellMoment, tellOpening, tellRelease, type Assignment, type Instant } from '@nudrik/core';
import type { ReleaseLook, ReleaseSeen } from '@nudrik/contract';
import { record, type Happening } from '../assignments/record.ts';
import { maybeRow, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { listAssignmentFacts, type Facts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { replaceOpenings } from './openings.repo.ts';

/**
 * Records which units of open assignments have opened by now, each at its own moment, however late that is looked at; and
 * keeps when the others do. Load, compute, save: the facts are the planner's.
 * @param isOver whether nothing of an assignment opens any more
 */
export async function openUnits(
  client: Client,
  facts: Facts,
  ids: readonly string[],
  now: Instant,
  isOver: (assignment: string) => boolean,
): Promise<void> {
  const pending = [...facts.assignments.values()].flatMap(({ id, openings = [] }) =>
    isOver(id) ? [] : openings.map((opening) => ({ assignment: id, ...opening })),
  );
  await replaceOpenings(
    client,
    ids,
    pending.filter(({ at }) => at > now),
  );
  const opened = pending.filter(({ at }) => at <= now).sort((a, b) => a.at - b.at || Number(a.unit) - Number(b.unit));
  await record(
    client,
    opened.map(({ assignment, unit, at }): Happening => ({ assignment, event: { type: 'unit-opened', unit, at } })),
    { byWhom: 'Nudrik' },
  );
}

const FIND_OPEN = `
select id
from assignments
where course_id = $1::bigint
  and person_id = $2::bigint
order by closed_by is null desc, assigned_at desc
limit 1
`;
/** Somebody to show dates for, where nobody is chosen: one who has it open, else anybody who is here. */
const FIND_ANYBODY = `
select p.id
from people p
left join assignments a on a.person_id = p.id and a.course_id = $1::bigint and a.closed_by is null
where p.left_on is null
order by a.id is null, a.due_at, p.id
limit 1
`;

/** When the units of what is written open for a real person: by their own assignment, or one that would begin at a moment. */
export async function seeOpenings(deps: Deps, courseId: string, { content, personId, assignedAt }: ReleaseLook): Promise<ReleaseSeen> {
  const { db } = deps;
  const now = deps.clock.now();
  const units = content.sections.flatMap((section) =>
    section.units.map((unit, i) => ({ ...unit, id: unit.id ?? `${section.title} ${i}` })),
  );
  const titleOf = (id: string): string | null => units.find((unit) => unit.id === id)?.title ?? null;
  const id = personId ?? (await maybeRow<{ id: string }>(db, FIND_ANYBODY, [courseId]))?.id ?? null;
  const open = id === null ? null : await maybeRow<{ id: string }>(db, FIND_OPEN, [courseId, id]);
  const roster = id === null ? null : await loadRoster(db, [id], [], (await getHouse(db)).sending);
  const person = roster?.person(id) ?? null;
  if (personId !== null && !person) throw new Refused('not-found', 'There is no such person, or not any more.');
  const calendar =
    roster && person
      ? roster.calendarOf(person)
      : new Calendar({ id: 'house', zone: (await getHouse(db)).zone, workingDays: [1, 2, 3, 4, 5], holidays: [] });
  const [stored] = open && assignedAt === null ? await listAssignmentFacts(db, [open.id]) : [];
  const begins = assignedAt === null ? now : Date.parse(assignedAt);
  const assignment: Assignment = stored ?? {
    id: 'look',
    person: id ?? 'nobody',
    course: courseId,
    assignedAt: begins,
    dueAt: begins,
    events: [],
  };
  // as on the first day: what has opened since is told by its moment, not as done
  const openings = openingsOf(units, assignment, calendar, assignment.assignedAt);
  return {
    person: person && { id: person.id, name: person.name, zone: calendar.zone.name },
    assignedAt: new Date(assignment.assignedAt).toISOString(),
    isAssigned: stored !== undefined,
    units: units.map(({ id: unit, release }) => {
      const opening = openings.get(unit)!;
      const words =
        opening.kind === 'opens'
          ? tellMoment(opening.at, calendar.zone, now)
          : opening.kind === 'waits'
            ? tellRelease(release, titleOf)
            : release === null
              ? 'at once'
              : (tellOpening(opening, calendar.zone, now, titleOf) ?? 'at once');
      return { id: unit, words };
    }),
  };
}
