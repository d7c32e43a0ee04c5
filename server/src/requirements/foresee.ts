import type { Change } from '@nudrik/core';
import type { ImportForesight } from '@nudrik/contract';
import { rows, type Client } from '../db/db.ts';
import { getHouse } from '../house/house.ts';
import { replan } from '../notices/plan.ts';
import { reconcilePeople } from './reconcile.ts';

/** Of each requirement and site those who would begin first are planned: the first mail is among theirs. */
const PLANNED = 25;
/** Names that are told of each requirement. */
const NAMED = 3;

type Begun = Extract<Change, { kind: 'assign' | 'take-up' }>;
const isBegun = (change: Change): change is Begun => change.kind === 'assign' || change.kind === 'take-up';

const LIST_BEGUN = `
with asked as (
  select r.requirement_id, a.id, p.name, row_number() over (partition by r.requirement_id, p.site_id order by a.assigned_at, a.id) as place
  from assignment_reasons r
  join assignments a on a.id = r.assignment_id
  join people p on p.id = a.person_id
  where r.since >= $3::timestamptz
    and (a.person_id, a.course_id) in (select * from unnest($1::bigint[], $2::bigint[]))
)
select q.id, q.name, c.title as course, count(*)::integer as people,
  (array_agg(k.name order by k.place, k.name))[1:$4::integer] as names,
  array_agg(k.id) filter (where k.place <= $5::integer) as first
from asked k
join requirements q on q.id = k.requirement_id
join courses c on c.id = q.course_id
group by q.id, c.title
order by q.name
`;

const LIST_FIRST = `
select distinct on (r.requirement_id) r.requirement_id as id, n.at, n.step_name as step, p.name, s.zone
from notices n
join assignment_reasons r on r.assignment_id = n.assignment_id
join people p on p.id = n.person_id
join sites s on s.id = p.site_id
where n.assignment_id = any($1::bigint[])
  and n.state in ('planned', 'held')
order by r.requirement_id, n.at, n.id
`;

// who joins later is asked on the first morning
const LIST_MORNINGS = `
select w.at, array_agg(w.person_id::text) as ids
from wakes w
join people p on p.id = w.person_id
where w.person_id = any($1::bigint[])
  and p.joined_on > ($2::timestamptz)::date
group by w.at
order by w.at
limit 400
`;

interface BegunRow {
  id: string;
  name: string;
  course: string;
  people: number;
  names: string[];
  first: string[];
}

const LIST_COURSES_OF = 'select id, course_id from assignments where id = any($1::bigint[])';

/**
 * What the requirements would ask of some people, and when its first mails would go. It does it all, so it belongs into a
 * transaction that is taken back.
 */
export async function foreseeRequirements(client: Client, personIds: readonly string[], now: number): Promise<ImportForesight> {
  const changes = await reconcilePeople(client, personIds, now);
  for (const { at, ids } of await rows<{ at: Date; ids: string[] }>(client, LIST_MORNINGS, [personIds, new Date(now)]))
    changes.push(...(await reconcilePeople(client, ids, at.getTime())));
  const begun = changes.filter(isBegun);
  const courseOf = new Map(
    (
      await rows<{ id: string; course_id: string }>(client, LIST_COURSES_OF, [
        begun.flatMap((change) => (change.kind === 'take-up' ? [change.assignment] : [])),
      ])
    ).map((row) => [row.id, row.course_id]),
  );
  const asked = await rows<BegunRow>(client, LIST_BEGUN, [
    begun.map(({ person }) => person),
    begun.map((change) => (change.kind === 'assign' ? change.course : courseOf.get(change.assignment)!)),
    new Date(now),
    NAMED,
    PLANNED,
  ]);
  const first = asked.flatMap((row) => row.first);
  await replan(client, await getHouse(client), [...new Set(first)], now);
  const mails = new Map(
    (await rows<{ id: string; at: Date; step: string; name: string; zone: string }>(client, LIST_FIRST, [first])).map((row) => [
      row.id,
      row,
    ]),
  );
  return {
    requirements: asked.map(({ id, name, course, people, names }) => {
      const mail = mails.get(id);
      return {
        id,
        name,
        course,
        people,
        names,
        first: mail ? { at: mail.at.toISOString(), step: mail.step, name: mail.name, zone: mail.zone } : null,
      };
    }),
    withdrawn: changes.filter(({ kind }) => kind === 'withdraw').length,
    asked: changes.filter(({ kind }) => kind === 'ask').length,
  };
}
