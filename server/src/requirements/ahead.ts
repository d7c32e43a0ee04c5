import { changesAhead, type Assignment, type AssignmentEvent, type ChangeAhead, type Instant } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { eventOf } from './apply.ts';
import { listLive, listRequirementPeople, LiveSet, loadCalendars, loadRecords, loadStructure } from './facts.ts';

const LIST_WAKES = `
select w.person_id as person, w.at, count(*) over ()::integer as total
from wakes w
where w.at < $1::timestamptz
order by w.at, w.person_id
limit $2::integer
`;

const LIST_ROUNDS = `
select person_id as person, course_id as course, max(round)::integer as round
from assignments
where (person_id, course_id) in (select * from unnest($1::bigint[], $2::bigint[]))
group by 1, 2
`;

/** What requirements will do in days to come, for whoever plays them forward. */
export interface RequirementsAhead {
  /** what they will assign, under ids of their own */
  assigned: Assignment[];
  /** what will happen to assignments that there are, by their ids */
  happenings: Map<string, AssignmentEvent[]>;
}

/** People at whom requirements will look by themselves before a moment, and when: those whose day comes first, and how many there are. */
export async function listWoken(
  db: Queryable,
  until: Instant,
  most: number,
): Promise<{ woken: [person: string, at: Instant][]; total: number }> {
  const found = await rows<{ person: string; at: Date; total: number }>(db, LIST_WAKES, [new Date(until), most]);
  return { woken: found.map(({ person, at }) => [person, at.getTime()]), total: found[0]?.total ?? 0 };
}

/**
 * What requirements will assign, take up again, move and withdraw until a moment if nobody does anything: renewals, who joins,
 * who leaves, waivers that end. As the worker will do it on those mornings; nothing is stored or locked.
 * @param woken whom they will look at, and when
 * @param courseId of one course alone
 */
export async function requirementsAhead(
  db: Queryable,
  now: Instant,
  until: Instant,
  woken: readonly (readonly [person: string, at: Instant])[],
  courseId: string | null = null,
): Promise<RequirementsAhead> {
  const requirements = (await listLive(db)).filter(({ course }) => courseId === null || course === courseId);
  if (woken.length === 0 || requirements.length === 0) return { assigned: [], happenings: new Map() };
  const who = woken.map(([person]) => person);
  const live = new LiveSet(requirements, await loadStructure(db, who));
  const calendars = await loadCalendars(db);
  const ahead = changesAhead({
    people: await listRequirementPeople(db, who),
    wakes: new Map(woken),
    records: await loadRecords(db, who, courseId),
    liveOn: (date) => live.on(date),
    calendarOf: ({ site }) => calendars.get(site)!,
    morning: (await getHouse(db)).sending.sendWindow.from,
    now,
    until,
  });
  return asAssignments(db, ahead);
}

/** The same as assignments and events, as planning looks at them. */
async function asAssignments(db: Queryable, ahead: readonly ChangeAhead[]): Promise<RequirementsAhead> {
  const made = ahead.flatMap(({ change }) => (change.kind === 'assign' ? [change] : []));
  const rounds = new Map(
    (
      await rows<{ person: string; course: string; round: number }>(db, LIST_ROUNDS, [
        made.map(({ person }) => person),
        made.map(({ course }) => course),
      ])
    ).map(({ person, course, round }) => [`${person}/${course}`, round]),
  );
  const assigned = new Map<string, Assignment & { events: AssignmentEvent[] }>();
  const happenings: RequirementsAhead['happenings'] = new Map();
  for (const { at, change, assignment: id } of ahead) {
    if (change.kind === 'assign') {
      const { person, course, dueAt } = change;
      const round = (rounds.get(`${person}/${course}`) ?? 0) + 1;
      rounds.set(`${person}/${course}`, round);
      assigned.set(id, { id, person, course, round, assignedAt: at, dueAt, isByHand: false, events: [{ type: 'assigned', at, dueAt }] });
      continue;
    }
    const event = eventOf(change, at);
    if (!event) continue;
    const own = assigned.get(id)?.events ?? happenings.get(id);
    if (own) own.push(event);
    else happenings.set(id, [event]);
  }
  return { assigned: [...assigned.values()], happenings };
}
