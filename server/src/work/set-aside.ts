import { clauseOf, oneLine, tellMoment, type Zone, type Instant } from '@nudrik/core';
import { apart } from '../db/apart.ts';
import { announce, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps, Logger } from '../deps.ts';

/** What the worker does with one thing at a time: an assignment is planned, a person is compared with the requirements. */
export type Doing = 'plan' | 'reconcile';

const PUT_ASIDE = `
insert into set_aside as s (doing, ref, error, since, try_at)
select $1::text, r.ref, r.error, $4::timestamptz, now() + interval '5 minutes'
from unnest($2::bigint[], $3::text[]) as r (ref, error)
on conflict (doing, ref) do update set
  error = excluded.error,
  tries = s.tries + 1,
  try_at = now() + least(1440, 5 * power(2, least(s.tries, 10))) * interval '1 minute'
`;

/** Sets aside what could not be worked out, with its error; it is tried again with growing pauses, a day at the most. */
async function setAside(
  client: Client,
  log: Logger,
  doing: Doing,
  failed: readonly { item: string; error: Error }[],
  now: Instant,
): Promise<void> {
  if (failed.length === 0) return;
  for (const { item, error } of failed.slice(0, 5)) log.error({ doing, ref: item, error: error.stack }, 'Set aside; the rest goes on.');
  await client.query(PUT_ASIDE, [doing, failed.map(({ item }) => item), failed.map(({ error }) => tellFailure(error)), new Date(now)]);
  await announce(client, 'notices');
}

/** An error in one line of bounded length, as Today shows it. */
export const tellFailure = (error: Error): string => oneLine(error.message, 300) || error.name;

const TAKE_BACK = 'delete from set_aside where doing = $1::text and ref = any($2::bigint[])';
const HAS_ASIDE = 'select from set_aside where doing = $1::text limit 1';

/** What could be worked out now stands aside no longer. */
async function takeBack(client: Client, doing: Doing, refs: readonly string[]): Promise<void> {
  // there is nearly never any: then nothing is searched for
  if ((await rows(client, HAS_ASIDE, [doing])).length > 0) await client.query(TAKE_BACK, [doing, refs]);
}

/** Works on each of some rows of a queue so that none stops the others; what cannot be worked out is set aside. */
export async function workApart(
  client: Client,
  deps: Pick<Deps, 'log' | 'clock'>,
  doing: Doing,
  ids: readonly string[],
  work: (some: readonly string[], now: Instant) => Promise<unknown>,
): Promise<void> {
  const now = deps.clock.now();
  const { failed } = await apart(client, ids, (some) => work(some, now));
  await setAside(client, deps.log, doing, failed, now);
  const aside = new Set(failed.map(({ item }) => item));
  await takeBack(
    client,
    doing,
    ids.filter((id) => !aside.has(id)),
  );
}

const RETRY_PLANS = `
insert into replan (assignment_id)
select ref from set_aside where doing = 'plan' and ($1::boolean or try_at <= now())
`;
const RETRY_PEOPLE = `
insert into reconcile (person_id)
select ref from set_aside where doing = 'reconcile' and ($1::boolean or try_at <= now())
`;
// whatever is about nobody any more stands aside no longer
const FORGET = `
delete from set_aside s
where (s.doing = 'plan' and not exists (select from assignments a where a.id = s.ref))
  or (s.doing = 'reconcile' and not exists (select from people p where p.id = s.ref))
`;
const POSTPONE = `
update set_aside
set try_at = now() + least(1440, 5 * power(2, least(tries, 10))) * interval '1 minute'
where try_at <= now()
`;
const RETRY_NOTICES = `
update notices
set try_at = $1::timestamptz
where state = 'held'
  and held_because = 'set-aside'
`;

/**
 * Tries again what stands aside: all of it (somebody asks, or the program was started anew, perhaps mended), or what has
 * its time.
 */
export async function retryAside(deps: Pick<Deps, 'db' | 'clock'>, isAll: boolean): Promise<void> {
  await transaction(deps.db, async (client) => {
    await client.query(FORGET);
    const plans = await client.query(RETRY_PLANS, [isAll]);
    const people = await client.query(RETRY_PEOPLE, [isAll]);
    await client.query(POSTPONE);
    const notices = isAll ? await client.query(RETRY_NOTICES, [new Date(deps.clock.now())]) : null;
    if ((plans.rowCount ?? 0) + (people.rowCount ?? 0) + (notices?.rowCount ?? 0) > 0) await announce(client, 'work');
  });
}

// one line for each kind of error, with the first of whom it is about
const LIST_ASIDE = `
select s.doing, s.error, count(*)::integer as count, min(s.since) as since, min(p.name) as name, min(c.title) as title
from set_aside s
left join assignments a on s.doing = 'plan' and a.id = s.ref
left join courses c on c.id = a.course_id
left join people p on p.id = case when s.doing = 'plan' then a.person_id else s.ref end
where p.id is not null
group by s.doing, s.error
order by count(*) desc
limit 10
`;

// notices that could not be decided or written, one line for each error
const LIST_NOTICES_ASIDE = `
select n.sentence, count(*)::integer as count, min(n.moment) as since, min(n.step_name) as step_name, min(c.title) as title, min(p.name) as name
from notices n
join courses c on c.id = n.course_id
join people p on p.id = n.person_id
where n.state = 'held'
  and n.held_because = 'set-aside'
group by n.sentence
order by count(*) desc
limit 10
`;

/** What stands aside, in sentences: what, whose, why and since when. */
export async function tellAside(db: Queryable, zone: Zone, now: Instant): Promise<string[]> {
  const found = await rows<{ doing: Doing; error: string; count: number; since: Date; name: string; title: string | null }>(db, LIST_ASIDE);
  const notices = await rows<{ sentence: string; count: number; since: Date; step_name: string; title: string; name: string }>(
    db,
    LIST_NOTICES_ASIDE,
  );
  const ofNotices = notices.map(({ sentence, count, since, step_name, title, name }) => {
    const which =
      count === 1 ? `“${step_name}” of ${title} to ${name} is` : `${count} notices, “${step_name}” of ${title} to ${name} among them, are`;
    return `${which} ${clauseOf(sentence)}. Waits since ${tellMoment(since.getTime(), zone, now)}; everything else goes on.`;
  });
  const ofWork = found.map(({ doing, error, count, since, name, title }) => {
    const whose =
      doing === 'plan'
        ? count === 1
          ? `The notices of ${name} for ${title} cannot be planned`
          : `The notices of ${count} assignments cannot be planned, of ${name} for ${title} among them`
        : count === 1
          ? `What ${name} is required to have cannot be worked out`
          : `What ${count} people are required to have cannot be worked out, ${name} among them`;
    return `${whose}: ${error}. Set aside since ${tellMoment(since.getTime(), zone, now)}; everybody else goes on, and it is tried again by itself.`;
  });
  return [...ofWork, ...ofNotices];
}
