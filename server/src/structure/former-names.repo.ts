import type { Instant } from '@nudrik/core';
import type { Client } from '../db/db.ts';

/** What is found by its name in the record of people. */
type Place = 'department' | 'site' | 'group';

const KEEP = `
insert into former_names (place, place_id, name, until)
select $1::text, $2::bigint, $3::text, $5::timestamptz
where $3::text <> $4::text
`;
/** Something is called otherwise from now on: what the record says of it by the name before leads to it still. */
export const keepName = (client: Client, place: Place, id: string, was: string, is: string, at: Instant): Promise<unknown> =>
  client.query(KEEP, [place, id, was, is, new Date(at)]);

const LEAVE_TO = `
with earlier as (
  update former_names set place_id = $3::bigint where place = $1::text and place_id = $2::bigint
)
insert into former_names (place, place_id, name, until) values ($1::text, $3::bigint, $4::text, $5::timestamptz)
`;
const FORGET = 'delete from former_names where place = $1::text and place_id = $2::bigint';
/** Something is removed: whoever was there is told in its heir, such as the department that it stood below. */
export const leaveName = (client: Client, place: Place, id: string, heir: string | null, name: string, at: Instant): Promise<unknown> =>
  heir === null ? client.query(FORGET, [place, id]) : client.query(LEAVE_TO, [place, id, heir, name, new Date(at)]);
