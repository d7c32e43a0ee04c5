import type { RequirementsDay } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';

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
/** The requirements that there were before a moment, under the names that they have now, and which were on. */
export const listThen = (db: Queryable, moment: Date): Promise<Then[]> => rows(db, LIST_THEN, [moment]);
