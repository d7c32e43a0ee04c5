import type { HoldReason, Instant, Told } from '@nudrik/core';
import { maybeRow, rows, type Client, type Queryable } from '../db/db.ts';
import type { Handover, Letter } from '../messages/channel.ts';
import type { CertificateFacts } from '../messages/compose.ts';
import type { DeliveryReport } from '../messages/read-mail.ts';
import { CLAIMED_COLUMNS, claimedOf, type ClaimedNotice, type ClaimedRow } from './ledger.repo.ts';
import { queueSealed, sealLater } from '../seals/seals.repo.ts';

export const GATHER_LOCK = 7_301;

const TRY_LOCK_GATHERED = 'select pg_try_advisory_xact_lock($1::bigint) as locked';

export async function tryLock(db: Client, key: number): Promise<boolean> {
  return (await maybeRow<{ locked: boolean }>(db, TRY_LOCK_GATHERED, [key]))!.locked;
}

const LIST_CERTIFICATES = `
select assignment_id, serial, expires_on
from standing_certificates
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
  state = case when d.is_delivered then 'delivered' else 'sent' end, sent_at = coalesce(n.sent_at, d.at, $2::timestamptz),
  because = null, claimed_by = null
from (
  select message_id, bool_or(delivered_at is not null) as is_delivered, min(coalesce(answered_at, handed_at)) as at
  from deliveries
  where message_id in (
    select message_id
    from notices
    where state = 'sending'
      and (claimed_by is null or claimed_by = any($1::integer[]))
  )
    and (outcome = 'accepted' or delivered_at is not null)
  group by message_id
) d
where n.state = 'sending'
  and d.message_id = n.message_id
`;

/** What is known to have been taken by the mail server is not handed over again. @param gone workers that are no more */
export const settleKnown = (db: Client, gone: readonly number[], now: Instant): Promise<unknown> =>
  db.query(SETTLE_KNOWN, [gone, new Date(now)]);

// each message whole, however many notices it carries; gone is whoever is not among the workers any more
const CLAIM_CUT_OFF = `
update notices
set
  claimed_by = $1::integer,
  last_error = 'the hand-over was cut off; taken up again with the same Message-ID'
where id in (
  select n.id
  from notices n
  where n.state = 'sending'
    and n.message_id in (
      select c.message_id
      from notices c
      where c.state = 'sending'
        and (c.claimed_by is null or c.claimed_by = any($2::integer[]) or not exists (select from workers w where w.id = c.claimed_by))
      group by c.message_id
      order by min(c.id)
      limit $3::integer
    )
  for update skip locked
)
returning ${CLAIMED_COLUMNS}
`;

/** Takes up notices whose hand-over was cut off, each message whole. @param gone workers that are no more */
export const claimCutOff = async (db: Client, worker: number, gone: readonly number[], limit: number): Promise<ClaimedNotice[]> =>
  (await rows<ClaimedRow>(db, CLAIM_CUT_OFF, [worker, gone, limit])).map(claimedOf);

const GIVE_BACK = `
update notices
set state = 'planned', try_at = $2::timestamptz, attempts = greatest(0, attempts - 1), decided_at = null, claimed_by = null
where message_id = any($1::bigint[])
  and state = 'sending'
  and not exists (select from deliveries d where d.message_id = notices.message_id and d.id <> all($3::bigint[]) and d.outcome is null)
`;
// one that was on the wire before, nobody knows with what end, is cut off once more
const CUT_OFF = `
update notices
set claimed_by = null
where message_id = any($1::bigint[])
  and state = 'sending'
`;
const FORGET_DELIVERIES = 'delete from deliveries where id = any($1::bigint[]) and outcome is null';

/** Gives back letters that were claimed and never handed over. */
export async function giveBack(db: Client, letters: readonly { messageId: string; deliveryId: string }[], now: Instant): Promise<void> {
  const messages = letters.map(({ messageId }) => messageId);
  const deliveries = letters.map(({ deliveryId }) => deliveryId);
  await db.query(GIVE_BACK, [messages, new Date(now), deliveries]);
  await db.query(CUT_OFF, [messages]);
  await db.query(FORGET_DELIVERIES, [deliveries]);
}

// One statement, since the next letter waits for it. A delivery report may overtake us: what is delivered stays delivered. A
// letter that was taken is known to be taken, whatever became of its notice meanwhile; any other answer counts only for whoever
// still has it on the wire, and one that was noted is never overwritten. Pauses between tries grow: 1, 2, 4 … minutes, an hour
// at the most, each a little different from its neighbour's, so that not all come back at once. What is the channel's matter waits for the channel and is never given up. An address is marked only by what was
// said of it.
const STORE_ANSWERS = `
with answers as (
  select r.message_id, r.delivery_id, r.outcome, r.scope, r.response, r.says
  from unnest($1::bigint[], $2::bigint[], $3::text[], $4::text[], $5::text[], $9::text[])
    as r (message_id, delivery_id, outcome, scope, response, says)
),
answered as (
  update deliveries d
  set outcome = nullif(r.outcome, 'unknown'), answer = r.response, answered_at = $6::timestamptz
  from answers r
  where d.id = r.delivery_id
    and d.outcome is null
  -- as the row is now: a report that was being recorded was waited for, and is older than what this statement sees elsewhere
  returning d.id, d.message_id, d.delivered_at, d.outcome
),
queued as (
  ${queueSealed('answer', 'answered')} where outcome is not null
),
verdicts as (
  select
    n.id, r.message_id, r.response, r.says,
    exists (select 1 from answered a where a.message_id = r.message_id and a.delivered_at is not null)
      or exists (select 1 from deliveries d where d.message_id = r.message_id and d.delivered_at is not null) as is_delivered,
    case
      when r.outcome = 'accepted' then 'accepted'
      when r.outcome = 'refused' then 'refused'
      when r.scope = 'channel' then 'waits-for-channel'
      when r.scope = 'way' then 'other-way'
      when n.at >= $6::timestamptz - $7::interval then 'waits'
      when r.scope = 'address' then 'refused'
      else 'gave-up'
    end as verdict
  from answers r
  join notices n on n.message_id = r.message_id
  where n.state = 'sending'
    or r.outcome = 'accepted' and n.state in ('planned', 'held') and n.attempts > 0
),
marked as (
  update notices n
  set
    state = case v.verdict
      when 'accepted' then case when v.is_delivered then 'delivered' else 'sent' end
      when 'refused' then 'bounced'
      when 'gave-up' then 'failed'
      else 'planned'
    end,
    sent_at = case when v.verdict in ('accepted', 'refused') then $6::timestamptz end,
    because = case v.verdict when 'refused' then 'bounced' when 'gave-up' then 'gave-up' end,
    last_error = case when v.verdict = 'accepted' then n.last_error else v.response end,
    sentence = case v.verdict
      when 'accepted' then n.sentence
      when 'refused' then 'Bounced: ' || v.says || ' answered “' || v.response || '”.'
      else
        case v.verdict when 'gave-up' then 'Failed: given up after three days' else 'Waits' end
        || ': ' || v.says || ' said “' || v.response || '”; ' || case when v.verdict = 'other-way' then 'it goes another way, tried ' else 'tried ' end || n.attempts || case when n.attempts = 1 then ' time.' else ' times.' end
    end,
    decided_at = case when v.verdict in ('waits', 'waits-for-channel', 'other-way') then null else coalesce(n.decided_at, $6::timestamptz) end,
    try_at = case v.verdict
      when 'waits' then $6::timestamptz + least(60, power(2, least(n.attempts, 10) - 1)) * (1 + 0.01 * (n.id % 11) * (n.attempts > 1)::integer) * interval '1 minute'
      when 'waits-for-channel' then $6::timestamptz
      when 'other-way' then $6::timestamptz
    end,
    chat_failed = n.chat_failed or v.verdict = 'other-way',
    claimed_by = null
  from verdicts v
  where n.id = v.id
),
addressed as (
  update people p
  set address_state = 'bounced', address_words = v.response
  from verdicts v
  join messages m on m.id = v.message_id
  where v.verdict = 'refused'
    and p.email = m.to_address
)
select case when $8::boolean then pg_notify('nudrik', 'notices people') end
`;

/** Records what the mail server said of some letters. @param isTold whether browsers hear of it */
export const storeAnswers = (
  db: Queryable,
  results: readonly { letter: { messageId: string; deliveryId: string; channel?: Letter['channel'] }; handover: Handover }[],
  now: Instant,
  giveUpMs: number,
  isTold: boolean,
): Promise<unknown> =>
  db.query({
    name: 'store-answers',
    text: STORE_ANSWERS,
    values: [
      results.map(({ letter }) => letter.messageId),
      results.map(({ letter }) => letter.deliveryId),
      results.map(({ handover }) => handover.outcome),
      results.map(({ handover }) => (handover.outcome === 'later' ? handover.scope : 'letter')),
      results.map(({ handover }) => handover.response),
      new Date(now),
      `${giveUpMs / 1000} seconds`,
      isTold,
      results.map(({ letter }) => (letter.channel === 'chat' ? 'the chat' : 'the mail server')),
    ],
  });

const STAMP_REPORT = `
update deliveries d
set
  report = $3::text,
  reported_at = case when $2::text in ('delivered', 'failed') then $5::timestamptz else d.reported_at end,
  delivered_at = case when $2::text = 'delivered' then coalesce(d.delivered_at, greatest(d.handed_at, least($4::timestamptz, $5::timestamptz))) else d.delivered_at end
where d.id = $1::bigint
returning d.message_id
`;

// a statement of its own: an answer that was being stored was waited for, and is seen now
const MARK_REPORTED = `
with marked as (
  update notices n
  set
    state = case $2::text when 'delivered' then 'delivered' else 'bounced' end,
    because = case $2::text when 'failed' then 'bounced' end,
    sentence = case $2::text
      when 'failed' then 'Bounced: the mail server of the addressee reported “' || $3::text || '”.'
      else n.sentence
    end,
    last_error = case $2::text when 'failed' then $3::text else n.last_error end,
    claimed_by = null
  where n.message_id = $1::bigint
    -- a failure may be reported before the answer to whoever handed it over is stored
    and ($2::text = 'delivered' and n.state in ('sent', 'delivered') or $2::text = 'failed' and n.state in ('sending', 'sent'))
)
update people p
set address_state = 'bounced', address_words = $3::text
from messages m
where m.id = $1::bigint
  and $2::text = 'failed'
  and $4::boolean
  and p.email = m.to_address
`;

/** Reports that say that there is no such address (RFC 3463): what else fails is about this message. */
const NO_SUCH_ADDRESS = /^5\.(1\.\d{1,3}|2\.1)$/;

/** Records what the addressee's server reported of an attempt: delivered, failed, or delayed. */
export async function stampReport(db: Client, deliveryId: string, report: DeliveryReport, now: Instant): Promise<void> {
  const { action, words, status } = report;
  const reported = await maybeRow<{ message_id: string }>(db, STAMP_REPORT, [
    deliveryId,
    action,
    words,
    report.at ?? new Date(now),
    new Date(now),
  ]);
  if (!reported) return;
  await sealLater(db, 'report', [deliveryId]);
  await db.query(MARK_REPORTED, [reported.message_id, action, words, NO_SUCH_ADDRESS.test(status ?? '')]);
}
