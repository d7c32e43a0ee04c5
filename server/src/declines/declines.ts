import type { Declined, DeclineView } from '@nudrik/contract';
import type { PlanStep } from '@nudrik/core';
import { readLink } from '../access/personal-link.ts';
import { announce, maybeRow, rows, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { findStep, listPlanFacts } from '../notices/facts.ts';
import { recordChanges } from '../people/write-roster.ts';
import { Refused } from '../refusal.ts';

/** What a message may say at its end: whose, and which step of which course it was. */
interface Meant {
  person_id: string;
  person: string;
  course_id: string;
  course: string;
  step_id: string;
  step_name: string;
  declined: string | null;
}

const MEANT = `
select n.person_id, p.name as person, n.course_id, c.title as course, n.step_id, n.step_name,
  (select d.id from declines d where d.person_id = n.person_id and d.course_id = n.course_id and d.step_id = n.step_id and d.ended_at is null) as declined
from notices n
join people p on p.id = n.person_id
join courses c on c.id = n.course_id
where n.id = $1::bigint
  and n.recipient_id = n.person_id
  and n.to_role = 'employee'
`;

/** @throws Refused where the link is not ours, or leads to nothing any more */
async function meantBy({ db, settings }: Deps, link: string): Promise<Meant> {
  const { token } = readLink(settings.key, 'decline', link);
  const found = token !== null && /^\d{1,18}$/.test(token) ? await maybeRow<Meant>(db, MEANT, [token]) : null;
  if (!found) throw new Refused('wrong-link', 'This link does not belong to any message. Open it from the message itself.');
  return found;
}

const stepNow = async (db: Queryable, { course_id, step_id }: Meant): Promise<PlanStep | undefined> =>
  findStep((await listPlanFacts(db, [course_id]))[0], step_id);

const REQUIRED = 'These messages belong to required training and cannot be declined. You may choose one mail a day on your own page.';

/** What a link would decline; looking at it changes nothing. */
export async function declineView(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  const step = await stepNow(deps.db, meant);
  return {
    organisation: (await getHouse(deps.db)).organisation,
    person: meant.person,
    step: step?.name ?? meant.step_name,
    course: meant.course,
    isDeclined: meant.declined !== null,
    refusal: meant.declined === null && step && !step.mayDecline ? REQUIRED : null,
  };
}

const put = async (client: Client, meant: Meant, words: { from: string | null; to: string | null }, at: number): Promise<void> => {
  await recordChanges(client, [{ id: meant.person_id, kind: 'changed', changes: [{ field: 'declined', ...words }] }], { at, byWhom: meant.person });
  await announce(client, 'people', 'notices');
}; // prettier-ignore

const named = ({ step_name, course }: Pick<Meant, 'step_name' | 'course'>): string => `“${step_name}” of ${course}`;

/** Somebody has no more of a step: once, however often they say it. */
export async function decline(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  const step = await stepNow(deps.db, meant);
  if (step && !step.mayDecline) throw new Refused('conflict', `${REQUIRED} Nothing was changed.`);
  await transaction(deps.db, async (client) => {
    const at = deps.clock.now();
    const made = await rows(
      client,
      `insert into declines (person_id, course_id, step_id, step_name, at)
      values ($1::bigint, $2::bigint, $3::text, $4::text, $5::timestamptz)
      on conflict (person_id, course_id, step_id) where ended_at is null do nothing
      returning id`,
      [meant.person_id, meant.course_id, meant.step_id, meant.step_name, new Date(at)],
    );
    if (made.length > 0) await put(client, meant, { from: null, to: named(meant) }, at);
  });
  return declineView(deps, link);
}

const END = 'update declines set ended_at = $2::timestamptz where id = $1::bigint and ended_at is null returning id';

/** They want it again. */
export async function haveAgain(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  if (meant.declined !== null)
    await transaction(deps.db, async (client) => {
      const at = deps.clock.now();
      const ended = await rows(client, END, [meant.declined, new Date(at)]);
      if (ended.length > 0) await put(client, meant, { from: named(meant), to: null }, at);
    });
  return declineView(deps, link);
}

/** What somebody declined and has not taken back, the newest first. */
export async function listDeclined(db: Queryable, person: string): Promise<Declined[]> {
  const found = await rows<{ id: string; step: string; course: string; at: Date }>(
    db,
    `select d.id, d.step_name as step, c.title as course, d.at
    from declines d
    join courses c on c.id = d.course_id
    where d.person_id = $1::bigint and d.ended_at is null
    order by d.at desc, d.id desc`,
    [person],
  );
  return found.map((row) => ({ ...row, at: row.at.toISOString() }));
}

const OWN = `
select d.id as declined, d.person_id, p.name as person, d.course_id, c.title as course, d.step_id, d.step_name
from declines d
join people p on p.id = d.person_id
join courses c on c.id = d.course_id
where d.id = $1::bigint
  and d.person_id = $2::bigint
  and d.ended_at is null
`;

/** The same from somebody's own page, or their sheet. @param byWhom who does it */
export async function endDecline({ db, clock }: Deps, person: string, id: string, byWhom: string): Promise<void> {
  await transaction(db, async (client) => {
    const meant = await maybeRow<Meant>(client, OWN, [id, person]);
    const at = clock.now();
    const ended = meant ? await rows(client, END, [meant.declined, new Date(at)]) : [];
    if (!meant || ended.length === 0) throw new Refused('not-found', 'That is not declined any more. Nothing was changed.');
    await put(client, { ...meant, person: byWhom }, { from: named(meant), to: null }, at);
  });
}
