import type { Deps } from '../deps.ts';

const NOTE_OPENED = `
insert into link_openings (assignment_id, on_day, at)
select $1::bigint, ($2::timestamptz at time zone s.house_zone)::date, $2::timestamptz
from settings s
on conflict do nothing
`;

/** Notes that somebody came by the link of a message: once a day. */
export const noteOpenedAt = ({ db, clock }: Pick<Deps, 'db' | 'clock'>, assignment: string): Promise<unknown> =>
  db.query(NOTE_OPENED, [assignment, new Date(clock.now())]);
