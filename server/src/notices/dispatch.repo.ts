import { dayOf, isExemptFromLimit, precedenceOf, tellDay, type Instant, type Kind, type PlanStep, type Recipient } from '@nudrik/core';
import { maybeRow, rows, type Client } from '../db/db.ts';
import type { CertificateFacts } from '../messages/compose.ts';
import type { Handover } from '../messages/mailer.ts';
import type { Facts } from './facts.ts';
import type { ClaimedNotice } from './ledger.repo.ts';

export const GATHER_LOCK = 7_301;

export async function tryLock(db: Client, key: number): Promise<boolean> {
  return (await maybeRow<{ locked: boolean }>(db, 'select pg_try_advisory_xact_lock($1::bigint) as locked', [key]))!.locked;
}

const LIST_CERTIFICATES = `
select assignment_id, serial, expires_on
from certificates
where assignment_id = any($1::bigint[])
`;

export async function listCertificates(db: Client, assignmentIds: readonly string[]): Promise<Map<string, CertificateFacts>> {
  const found = await rows<{ assignment_id: string; serial: string; expires_on: string | null }>(db, LIST_CERTIFICATES, [assignmentIds]);
  return new Map(found.map((row) => [row.assignment_id, { serial: row.serial, expiresOn: row.expires_on }]));
}

const LIST_LAST_NOTICES = `
select distinct on (assignment_id) assignment_id, step_name, at, state, person_id
from notices
where assignment_id = any($1::bigint[])
  and to_role = 'employee'
  and state in ('sent', 'delivered', 'bounced', 'failed')
order by assignment_id, at desc, id desc
`;

/** The last notice to each employee, in words: `Late, Tue 3 Mar, delivered`. */
export async function listLastNotices(db: Client, assignmentIds: readonly string[], facts: Facts): Promise<Map<string, string>> {
  const found = await rows<{ assignment_id: string; step_name: string; at: Date; state: string; person_id: string }>(
    db,
    LIST_LAST_NOTICES,
    [assignmentIds],
  );
  return new Map(
    found.map((row) => {
      const zone = facts.roster.calendarOf(facts.roster.getPerson(row.person_id)).zone;
      return [row.assignment_id, `${row.step_name}, ${tellDay(zone.dayAt(row.at.getTime()))}, ${row.state}`];
    }),
  );
}

// a person's day is locked while it is counted, so that two workers do not give its last place twice
const LOCK_PEOPLE = `
select pg_advisory_xact_lock(7302, (id % 2147483647)::integer)
from (select distinct unnest($1::bigint[]) as id order by 1) people
`;

const LIST_DAY = `
select id, recipient_id, kind, step_id, gathered, at, mail_id, state
from notices
where recipient_id = any($1::bigint[])
  and at >= $2::timestamptz
  and at < $3::timestamptz
  and state not in ('skipped', 'cancelled')
  and kind not in ('invitation', 'certificate')
`;

/** How full each addressee's day is. */
export interface DayCounts {
  before(addressee: string, day: number, step: PlanStep, notice: ClaimedNotice): number;
  record(step: PlanStep, notice: ClaimedNotice, recipient: Recipient): void;
}

interface DayRow {
  id: string;
  recipient_id: string;
  kind: Kind;
  step_id: string;
  gathered: boolean;
  at: Date;
  mail_id: string | null;
  state: string;
}

const OPEN = new Set(['planned', 'held']);

export async function countDays(db: Client, claimed: readonly ClaimedNotice[], facts: Facts, now: Instant): Promise<DayCounts> {
  const { roster } = facts;
  const limited = claimed.filter((notice) => !isExemptFromLimit(notice.kind as Kind));
  const addressees = new Set<string>();
  if (roster.settings.dailyLimit !== null)
    for (const notice of limited) {
      const employee = roster.getPerson(notice.personId);
      addressees.add(employee.id);
      if (notice.to === 'employee') continue;
      // anyone up the chain, their covers and the owner may turn out to be the addressee
      for (let next = roster.person(employee.manager), guard = 0; next && guard < 50; next = roster.person(next.manager), guard++) {
        addressees.add(next.id);
        for (const leave of next.leave) if (leave.cover) addressees.add(leave.cover);
      }
      const owner = facts.courses.get(notice.courseId)?.owner;
      if (owner) addressees.add(owner);
    }
  const ids = [...addressees];
  const claimedIds = new Set(claimed.map((notice) => notice.id));
  let day: DayRow[] = [];
  if (ids.length > 0) {
    await db.query(LOCK_PEOPLE, [ids]);
    day = await rows<DayRow>(db, LIST_DAY, [ids, new Date(now - 26 * 3_600_000), new Date(now + 26 * 3_600_000)]);
  }
  const messageOf = (row: { id: string; gathered: boolean; kind: string; at: number; addressee: string }): string =>
    row.gathered ? `${row.kind}/${row.addressee}/${row.at}` : row.id;
  const went: { addressee: string; day: number; message: string }[] = [];
  const ahead: { addressee: string; day: number; message: string; rank: number }[] = [];
  for (const row of day) {
    if (claimedIds.has(row.id)) continue;
    const person = roster.person(row.recipient_id);
    if (!person) continue;
    const localDay = roster.calendarOf(person).zone.dayAt(row.at.getTime());
    const message = messageOf({
      id: row.id,
      gathered: row.gathered,
      kind: row.kind,
      at: row.at.getTime(),
      addressee: row.recipient_id,
    });
    if (!OPEN.has(row.state)) went.push({ addressee: row.recipient_id, day: localDay, message });
    else if (row.at.getTime() > now) ahead.push({ addressee: row.recipient_id, day: localDay, message, rank: precedenceOf(row.kind) });
  }
  return {
    before(addressee, localDay, step, notice) {
      const own = messageOf({
        id: notice.id,
        gathered: notice.gathered,
        kind: notice.kind,
        at: notice.plannedAt,
        addressee,
      });
      const messages = new Set(went.filter((w) => w.addressee === addressee && w.day === localDay).map((w) => w.message));
      for (const other of ahead)
        if (other.addressee === addressee && other.day === localDay && other.rank < precedenceOf(step.kind)) messages.add(other.message);
      messages.delete(own);
      return messages.size;
    },
    record(step, notice, recipient) {
      if (!recipient.person || isExemptFromLimit(step.kind)) return;
      const localDay = roster.calendarOf(recipient.person).zone.dayAt(now);
      went.push({
        addressee: recipient.person.id,
        day: localDay,
        message: messageOf({
          id: notice.id,
          gathered: notice.gathered,
          kind: notice.kind,
          at: notice.plannedAt,
          addressee: recipient.person.id,
        }),
      });
    },
  };
}

const LIST_OVERDUE = `
select distinct on (assignment_id, to_role) id, assignment_id, to_role, step_name, moment
from notices
where assignment_id = any($1::bigint[])
  and state in ('planned', 'held')
  and held_because is null
  and at <= $2::timestamptz
  and kind not in ('invitation', 'certificate')
order by assignment_id, to_role, moment desc, id desc
`;

/**
 * After an outage, of an assignment's notices to the same addressee that are all overdue only the one with the latest
 * own moment goes. @returns for each notice that is overtaken, by which step
 */
export async function latestOverdue(
  db: Client,
  claimed: readonly ClaimedNotice[],
  now: Instant,
  outageMs: number,
): Promise<Map<string, string>> {
  const overdue = claimed.filter(
    (notice) => notice.plannedAt < now - outageMs && !isExemptFromLimit(notice.kind as Kind) && notice.heldBecause === null,
  );
  const overtaken = new Map<string, string>();
  if (overdue.length === 0) return overtaken;
  const latest = await rows<{ id: string; assignment_id: string; to_role: string; step_name: string; moment: Date }>(db, LIST_OVERDUE, [
    [...new Set(overdue.map((notice) => notice.assignment))],
    new Date(now),
  ]);
  const latestOf = new Map(latest.map((row) => [`${row.assignment_id}/${row.to_role}`, row]));
  for (const notice of overdue) {
    const last = latestOf.get(`${notice.assignment}/${notice.to}`);
    if (last && last.id !== notice.id)
      overtaken.set(notice.id, `“${last.step_name}” of ${tellDay(dayOf(last.moment.toISOString().slice(0, 10)))}`);
  }
  return overtaken;
}

const CLAIM_CUT_OFF = `
update notices
set lease_until = $2::timestamptz, attempts = attempts + 1, last_error = 'the hand-over was cut off; taken up again with the same Message-ID'
where id in (
  select id
  from notices
  where state = 'sending'
    and lease_until < $1::timestamptz
  limit 200
  for update skip locked
)
returning mail_id
`;

export async function claimCutOff(db: Client, now: Date, leaseUntil: Date): Promise<string[]> {
  const found = await rows<{ mail_id: string | null }>(db, CLAIM_CUT_OFF, [now, leaseUntil]);
  return [...new Set(found.flatMap((row) => row.mail_id ?? []))];
}

const MARK_MAILS = `
update mails m
set sent_at = r.sent_at, response = r.response
from unnest($1::bigint[], $2::timestamptz[], $3::text[]) as r (id, sent_at, response)
where m.id = r.id
`;

// a delivery report may overtake us: what is delivered stays delivered. Pauses between tries grow: 1, 2, 4 … minutes, an hour at the most
const MARK_NOTICES = `
update notices n
set
  state = case
    when r.outcome = 'accepted' then case when m.delivered_at is null then 'sent' else 'delivered' end
    when r.outcome = 'refused' then 'bounced'
    when n.at < $4::timestamptz - $5::interval then 'failed'
    else 'planned'
  end,
  sent_at = case when r.outcome = 'accepted' then $4::timestamptz end,
  because = case when r.outcome = 'refused' then 'bounced' when r.outcome = 'later' and n.at < $4::timestamptz - $5::interval then 'gave-up' end,
  last_error = case when r.outcome = 'accepted' then n.last_error else r.response end,
  sentence = case
    when r.outcome = 'refused' then 'Bounced: the mail server answered “' || r.response || '”.'
    when r.outcome = 'later' then 'Waits: the mail server said “' || r.response || '”; tried ' || n.attempts || case when n.attempts = 1 then ' time.' else ' times.' end
    else n.sentence
  end,
  decided_at = case when r.outcome = 'later' then null else n.decided_at end,
  try_at = case when r.outcome = 'later' and n.at >= $4::timestamptz - $5::interval then $4::timestamptz + least(60, power(2, n.attempts - 1)) * interval '1 minute' end,
  lease_until = null
from unnest($1::bigint[], $2::text[], $3::text[]) as r (mail_id, outcome, response)
join mails m on m.id = r.mail_id
where n.mail_id = r.mail_id
  and n.state = 'sending'
returning n.id
`;

const MARK_ADDRESSES = `
update people p
set address_state = 'bounced', address_words = r.response
from unnest($1::bigint[], $2::text[]) as r (mail_id, response)
join mails m on m.id = r.mail_id
where p.email = m.to_address
`;

/** Records what the mail server said, for all letters of a batch at once. */
export async function saveHandovers(
  db: Client,
  results: readonly { mailId: string; handover: Handover }[],
  now: Instant,
  giveUpMs: number,
): Promise<void> {
  const ids = results.map(({ mailId }) => mailId);
  const outcomes = results.map(({ handover }) => handover.outcome);
  const responses = results.map(({ handover }) => handover.response);
  await db.query(MARK_MAILS, [ids, outcomes.map((outcome) => (outcome === 'accepted' ? new Date(now) : null)), responses]);
  await db.query(MARK_NOTICES, [ids, outcomes, responses, new Date(now), `${giveUpMs / 1000} seconds`]);
  const refused = results.filter(({ handover }) => handover.outcome === 'refused');
  if (refused.length > 0)
    await db.query(MARK_ADDRESSES, [refused.map(({ mailId }) => mailId), refused.map(({ handover }) => handover.response)]);
}

/** Records that the addressee's server took the message. */
export async function stampDelivered(db: Client, mailId: string, now: Instant, words: string): Promise<void> {
  await db.query('update mails set delivered_at = $2::timestamptz, response = $3::text where id = $1::bigint', [
    mailId,
    new Date(now),
    words,
  ]);
  await db.query("update notices set state = 'delivered' where mail_id = $1::bigint and state in ('sent', 'delivered')", [mailId]);
}
