import { DAY_MS, dayOf, encodeEvent, msOfTime, Zone, type AssignmentEvent } from '@nudrik/core';
import { oneRow, readAgain, rows, type Client } from 'nudrik';
import { CAST, START_ON } from './orlasund.ts';

interface Drill {
  title: string;
  /** days from the start of the demo */
  day: number;
  seats: number;
  /** how many have a seat, and how many wait for one */
  taken: number;
  waiting: number;
  /** of those who had a seat, how many did not come */
  absent?: number;
}
const DRILLS: readonly Drill[] = [
  { title: 'Hot drill, morning', day: -8, seats: 8, taken: 2, waiting: 0, absent: 1 },
  { title: 'Hot drill, first watch', day: 6, seats: 2, taken: 2, waiting: 1 },
  { title: 'Hot drill, second watch', day: 13, seats: 8, taken: 1, waiting: 0 },
  { title: 'Hot drill, yard', day: 22, seats: 8, taken: 0, waiting: 0 },
];
const GIVEN_DAYS_BEFORE = 2;
const LIST_PEOPLE = `
select a.id, p.site_id
from assignments a
join people p on p.id = a.person_id
where a.course_id = $1::bigint
  and a.closed_by is null
  and a.assigned_at < $2::timestamptz
  and p.name <> $3::text
order by a.due_at, a.id
`;

/** Sessions of Fire Teams Aboard: one that took place, one that is full, one with room, and one that nobody chose yet. */
export async function makeDrills(db: Client, course: string, start: number): Promise<void> {
  const { id: unit } = await oneRow<{ id: string }>(
    db,
    "select u.id from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint and u.kind = 'session'",
    [course],
  );
  const leader = await oneRow<{ id: string; zone: string; site: string }>(db, 'select p.id, s.zone, s.id as site from people p join sites s on s.id = p.site_id where p.name = $1::text', [CAST.trainer]); // prettier-ignore
  const zone = Zone.of(leader.zone);
  const givenAt = start - (8 + GIVEN_DAYS_BEFORE) * DAY_MS;
  const people = await rows<{ id: string }>(db, LIST_PEOPLE, [course, new Date(givenAt), CAST.employee]);
  const given = people.length;
  const touched = new Set<string>();
  const happened = async (assignment: string, event: AssignmentEvent): Promise<string> => {
    touched.add(assignment);
    return (
      await oneRow<{ id: string }>(db, 'insert into assignment_events (assignment_id, type, at, data) values ($1::bigint, $2::text, $3::timestamptz, $4::jsonb) returning id', [
        assignment, event.type, new Date(event.at), JSON.stringify(encodeEvent(event)),
      ])
    ).id; // prettier-ignore
  };
  for (const { title, day, seats, taken, waiting, absent = 0 } of DRILLS) {
    const startsAt = zone.toInstant(dayOf(START_ON) + day, msOfTime('09:00'));
    const endsAt = startsAt + 3 * 3_600_000;
    const { id } = await oneRow<{ id: string }>(
      db,
      `insert into training_sessions (course_id, unit_id, title, starts_at, ends_at, zone, place, seats, trainer_id, made_at, made_by, site_id)
       values ($1::bigint, $2::bigint, $3::text, $4::timestamptz, $5::timestamptz, $6::text, 'Fire ground, Orla Quay', $7::integer, $8::bigint, $9::timestamptz, $10::text, $11::bigint)
       returning id`,
      [
        course,
        unit,
        title,
        new Date(startsAt),
        new Date(endsAt),
        leader.zone,
        seats,
        leader.id,
        new Date(givenAt),
        CAST.administrator,
        leader.site,
      ],
    );
    for (let i = 0; i < taken + waiting; i++) {
      const person = people.shift();
      if (!person)
        throw new Error(
          `The demo promises more people for its drills than have the course: ${DRILLS.reduce((sum, one) => sum + one.taken + one.waiting, 0)}, got ${given}.`,
        );
      const isSeat = i < taken;
      const at = givenAt + i * 60_000;
      await db.query('insert into seats (session_id, assignment_id, state, since, by_whom) values ($1::bigint, $2::bigint, $3::text, $4::timestamptz, $5::text)', [id, person.id, isSeat ? 'seat' : 'waiting', new Date(at), CAST.deckHead]); // prettier-ignore
      await happened(person.id, { type: 'session-set', at, unit, of: id, session: title, ...(isSeat ? { startsAt, endsAt, place: 'Fire ground, Orla Quay' } : { isWaiting: true }) }); // prettier-ignore
      if (day > 0) continue;
      const attended = i >= absent;
      const recordedAt = endsAt + 600_000;
      const event = await happened(person.id, { type: 'signed-off', at: recordedAt, unit, attended, met: attended });
      if (attended) await happened(person.id, { type: 'unit-finished', at: recordedAt, unit });
      await db.query(
        `insert into sign_offs (assignment_id, unit_id, criteria, attended, met, outcome, place, on_date, at, by_person_id, by_whom, because, event_id, list_key, session_id)
         values ($1::bigint, $2::bigint, '[]', $3::boolean, '{}', $4::text, 'Fire ground, Orla Quay', $5::date, $6::timestamptz, $7::bigint, $8::text, 'trainer of the session', $9::bigint, $10::text, $11::bigint)`,
        [person.id, unit, attended, attended ? 'met' : 'absent', new Date(startsAt), new Date(recordedAt), leader.id, CAST.trainer, event, `demo-drill-${id}`, id],
      ); // prettier-ignore
    }
  }
  await readAgain(db, [...touched]);
}
