import { DAY_MS } from '@nudrik/core';
import { oneRow, rows, type Client } from 'nudrik';
import { CAST } from './orlasund.ts';

interface Told {
  atUnit: string;
  /** days from the start of the demo */
  day: number;
  words: string;
  /** what somebody else on the course wrote to it */
  other: string | null;
  answer: string;
}
const ASKED: readonly Told[] = [
  {
    atUnit: 'Talking on the radio',
    day: -12,
    words: 'Who carries the radio when the team leader is inside?',
    other: 'On the Tarn Ness it was always the second at the door.',
    answer: 'The second at the door, on every ship. It stands so in the plan since March.',
  },
  {
    atUnit: 'Breathing apparatus',
    day: -5,
    words: 'Do we train with the old masks or with the new ones?',
    other: null,
    answer: 'With the new ones. Bring your own face seal if you wear glasses.',
  },
];

const LIST_PEOPLE = `
select a.id, a.person_id, p.name
from assignments a
join people p on p.id = a.person_id
where a.course_id = $1::bigint
  and a.closed_by is null
  and a.assigned_at < $2::timestamptz
  and p.name not in ($3::text, $4::text)
order by a.assigned_at, a.id
limit 3
`;
const INSERT = `
insert into conversations (person_id, course_id, assignment_id, subject, reader_id, is_open, opened_at, last_at, done_at, done_by, shown_to, at_unit)
values (
  $1::bigint, $2::bigint, $3::bigint, $4::text, (select owner_id from courses where id = $2::bigint), false, $5::timestamptz, $6::timestamptz,
  $6::timestamptz, $7::text, 'course', $8::text
)
returning id
`;
const PUT = `
insert into conversation_posts (conversation_id, at, side, author, body, shown_to, writer_id)
values ($1::bigint, $2::timestamptz, $3::text, $4::text, $5::text, 'course', $6::bigint)
`;

/** What was asked on the page of a course, so that everybody on it reads it, and what was answered. */
export async function makeAsked(db: Client, course: string, start: number): Promise<void> {
  const people = await rows<{ id: string; person_id: string; name: string }>(db, LIST_PEOPLE, [
    course,
    new Date(start - 15 * DAY_MS),
    CAST.employee,
    CAST.trainer,
  ]);
  for (const [i, { atUnit, day, words, other, answer }] of ASKED.entries()) {
    const who = people[i % people.length]!;
    const another = people[(i + 1) % people.length]!;
    const at = (hours: number): Date => new Date(start + day * DAY_MS + hours * 3_600_000);
    const { id } = await oneRow<{ id: string }>(db, INSERT, [who.person_id, course, who.id, words, at(0), at(4), CAST.trainer, atUnit]);
    await db.query(PUT, [id, at(0), 'person', `${who.name}, by personal link`, words, null]);
    if (other !== null) await db.query(PUT, [id, at(2), 'person', `${another.name}, by personal link`, other, another.person_id]);
    await db.query(PUT, [id, at(4), 'house', CAST.trainer, answer, null]);
  }
}
