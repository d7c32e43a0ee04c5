import type { HoldReason, Instant, Told } from '@nudrik/core';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';
import type { Handover } from '../messages/channel.ts';
import type { CertificateFacts } from '../messages/compose.ts';
import { answerDeliveries, stampDelivery } from '../messages/messages.repo.ts';
import { CLAIMED_COLUMNS, claimedOf, type ClaimedNotice, type ClaimedRow } from './ledger.repo.ts';

export const GATHER_LOCK = 7_301;

const TRY_LOCK_GATHERED = 'select pg_try_advisory_xact_lock($1::bigint) as locked';

export async function tryLock(db: Client, key: number): Promise<boolean> {
  return (await maybeRow<{ locked: boolean }>(db, TRY_LOCK_GATHERED, [key]))!.locked;
}

const LIST_CERTIFICATES = `
select assignment_id, serial, expires_on
from certificates
where assignment_id = any($1::bigint[])
`;

export async function listCertificates(db: Queryable, assignmentIds: readonly string[]): Promise<Map<string, CertificateFacts>> {
  const found = await rows<{ assignment_id: string; serial: string; expires_on: string | null }>(db, LIST_CERTIFICATES, [assignmentIds]);
  return new Map(found.map((row) => [row.assignment_id, { serial: row.serial, expiresOn: row.expires_on }]));
}

// of each assignment the last notice to the employee that went, and, where none did, what waits
const LIST_TOLD = `
select a.id as assignment_id, went.sent_at, went.state, waits.held_because
from assignments a
left join lateral (
  select n.sent_at, n.state
  from notices n
  where n.assignment_id = a.id
    and n.sent_at is not null
    and n.to_role = 'employee'
    and n.state in ('sent', 'delivered', 'bounced')
  order by n.sent_at desc, n.id desc
  limit 1
) went on true
left join lateral (
  select n.held_because
  from notices n
  where n.assignment_id = a.id
    and n.to_role = 'employee'
    and n.state = 'held'
  order by n.at desc, n.id desc
  limit 1
) waits on true
where a.id = any($1::bigint[])
`;

interface ToldRow {
  assignment_id: string;
  sent_at: Date | null;
  state: 'sent' | 'delivered' | 'bounced' | null;
  held_because: HoldReason | null;
}

/** What each employee was told of an assignment so far; core puts it into words in the reader's zone. */
export async function listTold(db: Client, assignmentIds: readonly string[]): Promise<Map<string, Told>> {
  const found = await rows<ToldRow>(db, LIST_TOLD, [assignmentIds]);
  return new Map(
    found.map((row) => [
      row.assignment_id,
      { at: row.sent_at?.getTime() ?? null, hasBounced: row.state === 'bounced', waitsFor: row.held_because },
    ]),
  );
}

// the answer was noted, or a delivery report came, before whoever handed it over could say so
const SETTLE_KNOWN = `
update notices n
set
  state = case when d.is_delivered then 'delivered' else 'sent' end, sent_at = coalesce(n.sent_at, d.at, $1::timestamptz),
  because = null, lease_until = null
from (
  select message_id, bool_or(delivered_at is not null) as is_delivered, min(coalesce(answered_at, handed_at)) as at
  from deliveries
  where outcome = 'accepted'
    or delivered_at is not null
  group by message_id
) d
where n.state = 'sending'
  and n.lease_until < now()
  and d.message_id = n.message_id
`;

/** What is known to have been taken by the mail server is not handed over again. */
export const settleKnown = (db: Client, now: Instant): Promise<unknown> => db.query(SETTLE_KNOWN, [new Date(now)]);

// by the database's clock, like the lease itself
const CLAIM_CUT_OFF = `
update notices
set
  lease_until = now() + $1::interval,
  last_error = 'the hand-over was cut off; taken up again with the same Message-ID'
where id in (
  select id
  from notices
  where message_id in (
    select message_id
    from notices
    where state = 'sending'
      and lease_until < now()
    order by message_id
    limit 200
  )
    and state = 'sending'
    and lease_until < now()
  for update skip locked
)
returning ${CLAIMED_COLUMNS}
`;

/** Takes up notices whose hand-over was cut off, each message whole. */
export const claimCutOff = async (db: Client, leaseMs: number): Promise<ClaimedNotice[]> =>
  (await rows<ClaimedRow>(db, CLAIM_CUT_OFF, [`${leaseMs / 1000} seconds`])).map(claimedOf);

// a delivery report may overtake us: what is delivered stays delivered. Pauses between tries grow: 1, 2, 4 … minutes, an hour at the most
const MARK_NOTICES = `
update notices n
set
  state = case
    when r.outcome = 'accepted' then case when r.is_delivered then 'delivered' else 'sent' end
    when r.outcome = 'refused' then 'bounced'
    when n.at < $4::timestamptz - $5::interval then 'failed'
    else 'planned'
  end,
  sent_at = case when r.outcome in ('accepted', 'refused') then $4::timestamptz end,
  because = case
    when r.outcome = 'refused' then 'bounced'
    when r.outcome = 'later' and n.at < $4::timestamptz - $5::interval then 'gave-up'
  end,
  last_error = case when r.outcome = 'accepted' then n.last_error else r.response end,
  sentence = case
    when r.outcome = 'refused' then 'Bounced: the mail server answered “' || r.response || '”.'
    when r.outcome = 'later' then
      case when n.at < $4::timestamptz - $5::interval then 'Failed: given up after three days' else 'Waits' end
      || ': the mail server said “' || r.response || '”; tried ' || n.attempts || case when n.attempts = 1 then ' time.' else ' times.' end
    else n.sentence
  end,
  decided_at = case when r.outcome = 'later' and n.at >= $4::timestamptz - $5::interval then null else n.decided_at end,
  try_at = case
    when r.outcome = 'later' and n.at >= $4::timestamptz - $5::interval
    then $4::timestamptz + least(60, power(2, n.attempts - 1)) * interval '1 minute'
  end,
  lease_until = null
from (
  select
    r.message_id, r.outcome, r.response,
    exists (select 1 from deliveries d where d.message_id = r.message_id and d.delivered_at is not null) as is_delivered
  from unnest($1::bigint[], $2::text[], $3::text[]) as r (message_id, outcome, response)
) r
where n.message_id = r.message_id
  and n.state = 'sending'
`;

const MARK_ADDRESSES = `
update people p
set address_state = 'bounced', address_words = r.response
from unnest($1::bigint[], $2::text[]) as r (message_id, response)
join messages m on m.id = r.message_id
where p.email = m.to_address
`;

/** Records what the mail server said, for all letters of a batch at once. */
export async function saveHandovers(
  db: Client,
  results: readonly { messageId: string; handover: Handover }[],
  now: Instant,
  giveUpMs: number,
): Promise<void> {
  const ids = results.map(({ messageId }) => messageId);
  const outcomes = results.map(({ handover }) => handover.outcome);
  const responses = results.map(({ handover }) => handover.response);
  await answerDeliveries(
    db,
    results.map(({ messageId, handover }) => ({ messageId, outcome: handover.outcome, answer: handover.response })),
    now,
  );
  await db.query(MARK_NOTICES, [ids, outcomes, responses, new Date(now), `${giveUpMs / 1000} seconds`]);
  const refused = results.filter(({ handover }) => handover.outcome === 'refused');
  if (refused.length > 0)
    await db.query(MARK_ADDRESSES, [refused.map(({ messageId }) => messageId), refused.map(({ handover }) => handover.response)]);
}

const MARK_DELIVERED = `
update notices
set state = 'delivered'
where message_id = $1::bigint
  and state in ('sent', 'delivered')
`;

/** Records that the addressee's server took the message. */
export async function stampDelivered(db: Client, messageId: string, at: Instant, words: string): Promise<void> {
  await stampDelivery(db, messageId, at, words);
  await db.query(MARK_DELIVERED, [messageId]);
}
