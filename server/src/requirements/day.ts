import type { AsOfQuery, RequirementsDay } from '@nudrik/contract';
import { Zone } from '@nudrik/core';
import { rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { atOf } from '../reports/as-of.ts';
import { listAskedByRequirement, NOBODY } from '../reports/asked-sums.repo.ts';
import { tellAsOf } from '../reports/differing.ts';

// what the record says last of being on; of one that was on before there was a record, since when it is
const LIST_THEN = `
select
  r.id, r.name, jsonb_build_object('id', c.id::text, 'title', c.title) as course,
  coalesce(e.what = 'switched on', r.is_on and r.switched_on_at < $1::timestamptz, false) as "wasOn"
from requirements r
join courses c on c.id = r.course_id
left join lateral (
  select e.what
  from requirement_events e
  where e.requirement_id = r.id
    and e.at < $1::timestamptz
    and e.what in ('switched on', 'switched off')
  order by e.at desc, e.id desc
  limit 1
) e on true
where coalesce((select min(e.at) from requirement_events e where e.requirement_id = r.id), r.changed_at) < $1::timestamptz
order by 4 desc, r.name
`;
type Then = Pick<RequirementsDay['rows'][number], 'id' | 'name' | 'course' | 'wasOn'>;
const listThen = (db: Queryable, moment: Date): Promise<Then[]> => rows(db, LIST_THEN, [moment]);

/** The requirements that there were at the end of a day that has passed: which were on, and how those stood whom each had asked. */
export async function requirementsDay({ db, clock }: Deps, asOf: AsOfQuery): Promise<RequirementsDay> {
  const at = atOf(asOf, clock.now(), Zone.of((await getHouse(db)).zone));
  if (at.past === null)
    throw new Refused('wrong-input', 'Which day? Expected one that has passed; how requirements stand today is told by the list of them.');
  const [list, counts, told] = await Promise.all([listThen(db, new Date(at.now)), listAskedByRequirement(db, at), tellAsOf(db, {}, at)]);
  return {
    asOf: told,
    rows: list.map((row) => {
      const { finished, inProgress, notStarted, late, waived } = counts.get(row.id) ?? NOBODY;
      const open = inProgress + notStarted;
      return { ...row, asked: finished + open + late + waived, finished, open, late, waived };
    }),
  };
}
