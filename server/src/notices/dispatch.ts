import {
  decide, isExemptFromLimit, precedenceOf, sentenceOf, tellList, type DayCount, type HoldReason, type Instant, type Kind, type PlanStep, type Recipient,
} from '@nudrik/core'; // prettier-ignore
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { compose, missingFor, type CertificateFacts, type MessageExtras } from '../messages/compose.ts';
import type { Handover, Letter, Mailer } from '../messages/mailer.ts';
import { listMails, putMails, type MailDraft } from '../messages/mails.repo.ts';
import { getHouse, type House } from '../people/roster.repo.ts';
import { loadFacts, type AssignmentFacts, type Facts } from './facts.ts';
import { claimDue, saveDecisions, type ClaimedNotice, type DecisionRow } from './ledger.repo.ts';
import {
  claimCutOff,
  countDays,
  GATHER_LOCK,
  latestOverdue,
  listCertificates,
  listLastNotices,
  saveHandovers,
  stampDelivered,
  tryLock,
  type DayCounts,
} from './dispatch.repo.ts';

/** One message, and the notices that it carries. */
interface Parcel {
  step: PlanStep;
  recipient: Recipient;
  notices: { notice: ClaimedNotice; assignment: AssignmentFacts; decision: DecisionRow }[];
}

/** Notices later than this after their moment count as overdue for sending: the sign of an outage. */
const OUTAGE_MS = 15 * 60_000;
const LEASE_MS = 5 * 60_000;
/** a message that the server would not take for three days has failed */
const GIVE_UP_MS = 3 * 24 * 3_600_000;

/**
 * Sends what is due: claims, decides again with fresh facts under the assignments' locks, stores the messages as they
 * will be read, hands them over, records the outcome. Many workers may run it at once. The next batch is decided while
 * the one before is handed over: the database works while the mail server does (0.6 of a bare sending loop without).
 * @param limit notices of a batch
 * @returns how many notices were decided; 0 when nothing was due
 */
export async function dispatch(deps: Deps, mailer: Mailer, limit = 200): Promise<number> {
  let decided = 0;
  let sending: Promise<void> = Promise.resolve();
  const saving: Promise<void>[] = [];
  for (;;) {
    const single = await prepare(deps, false, limit);
    const gathered = await prepare(deps, true, 5_000);
    await sending;
    if (single.decided + gathered.decided === 0) break;
    decided += single.decided + gathered.decided;
    const letters = [...single.letters, ...gathered.letters];
    sending = sendAll(mailer, letters).then((results) => {
      const saved = saveResults(deps, results);
      saved.catch(() => undefined); // awaited, and thrown, at the end
      saving.push(saved);
    });
  }
  await Promise.all(saving);
  return decided;
}

async function prepare(deps: Deps, gathered: boolean, limit: number): Promise<{ decided: number; letters: Letter[] }> {
  return transaction(deps.db, async (client) => {
    if (gathered && !(await tryLock(client, GATHER_LOCK))) return { decided: 0, letters: [] };
    const now = deps.clock.now();
    const claimed = await claimDue(client, now, gathered, limit);
    if (claimed.length === 0) return { decided: 0, letters: [] };
    const house = await getHouse(client);
    const ids = [...new Set(claimed.map((notice) => notice.assignment))].sort((a, b) => Number(a) - Number(b));
    await client.query('select id from assignments where id = any($1::bigint[]) order by id for share', [ids]);
    const facts = await loadFacts(client, house, ids);
    const extras = await loadExtras(client, deps.settings.baseUrl, facts, claimed);
    const { decisions, parcels } = await decideAll(client, claimed, facts, extras, now);
    const letters = await pack(client, parcels, facts, extras, house, now);
    await saveDecisions(client, decisions, now, new Date(Date.now() + LEASE_MS), house.zone);
    await announce(client, 'notices');
    return { decided: claimed.length, letters };
  });
}

async function loadExtras(client: Client, baseUrl: string, facts: Facts, claimed: readonly ClaimedNotice[]): Promise<MessageExtras> {
  const ids = [...facts.assignments.keys()];
  const certificates: Map<string, CertificateFacts> = await listCertificates(client, ids);
  const gathers = claimed.some((notice) => notice.gathered);
  return { baseUrl, certificates, lastNotice: gathers ? await listLastNotices(client, ids, facts) : new Map() };
}

/** Decides each claimed notice, in the order of the rules: by moment, then precedence. */
async function decideAll(
  client: Client,
  claimed: readonly ClaimedNotice[],
  facts: Facts,
  extras: MessageExtras,
  now: Instant,
): Promise<{ decisions: DecisionRow[]; parcels: Parcel[] }> {
  const order = [...claimed].sort(
    (a, b) => a.plannedAt - b.plannedAt || precedenceOf(a.kind as Kind) - precedenceOf(b.kind as Kind) || Number(a.id) - Number(b.id),
  );
  const counts = await countDays(client, order, facts, now);
  const overtaken = await latestOverdue(client, order, now, OUTAGE_MS);
  const decisions: DecisionRow[] = [];
  const parcels = new Map<string, Parcel>();

  for (const notice of order) {
    const assignment = facts.assignments.get(notice.assignment)!;
    const zone = facts.roster.calendarOf(facts.roster.getPerson(assignment.person)).zone;
    const step = facts.plans.get(notice.courseId)?.steps.find(({ id }) => id === notice.step);
    if (!step) {
      decisions.push({
        id: notice.id,
        state: 'skipped',
        because: 'plan-changed',
        heldBecause: null,
        until: null,
        recipientId: null,
        recipientName: null,
        sentence: 'Skipped: the plan no longer has this step.',
        trace: [],
        mailId: null,
      });
      continue;
    }
    const decision = decide({
      slot: notice,
      step,
      assignment,
      roster: facts.roster,
      now,
      countOf: dayCountFor(counts, step, notice),
      supersededBy: overtaken.get(notice.id) ?? null,
    });
    const { recipient } = decision;
    const sentence = sentenceOf(
      decision,
      notice,
      step,
      zone,
      decision.kind === 'hold' ? now : notice.plannedAt,
      notice.heldBecause as HoldReason | null,
    );
    const row: DecisionRow = {
      id: notice.id,
      state: decision.kind === 'send' ? 'sending' : decision.kind === 'hold' ? 'held' : 'skipped',
      because: decision.kind === 'skip' ? decision.because : null,
      heldBecause: decision.kind === 'hold' ? decision.because : null,
      until: decision.kind === 'hold' ? decision.until : null,
      recipientId: recipient.person?.id ?? null,
      recipientName: recipient.person?.name ?? recipient.address,
      sentence,
      trace: decision.trace,
      mailId: null,
    };
    decisions.push(row);
    if (decision.kind !== 'send') continue;
    const missing = missingFor({ step, recipient, assignments: [assignment] }, facts, extras, now);
    if (missing.length > 0) {
      const fact = `no value for ${tellList(missing.map((field) => `{${field}}`))}`;
      Object.assign(row, {
        state: 'held',
        heldBecause: 'missing-value',
        until: null,
        sentence: `Held: ${fact} for ${facts.roster.getPerson(assignment.person).name}, until that is filled in.`,
      });
      row.trace = [...row.trace, { check: 'every merge field has a value', result: false, because: fact }];
      continue;
    }
    counts.record(step, notice, recipient);
    const key = notice.gathered ? `${recipient.person?.id ?? recipient.address}/${step.kind}/${JSON.stringify(step.message)}` : notice.id;
    const parcel = parcels.get(key);
    if (parcel) parcel.notices.push({ notice, assignment, decision: row });
    else parcels.set(key, { step, recipient, notices: [{ notice, assignment, decision: row }] });
  }
  return { decisions, parcels: [...parcels.values()] };
}

const dayCountFor =
  (counts: DayCounts, step: PlanStep, notice: ClaimedNotice): DayCount =>
  (addressee, day) =>
    isExemptFromLimit(step.kind) ? 0 : counts.before(addressee.id, day, step, notice);

/** Renders each message once and stores it; the notices point at it. */
async function pack(
  client: Client,
  parcels: readonly Parcel[],
  facts: Facts,
  extras: MessageExtras,
  house: House,
  now: Instant,
): Promise<Letter[]> {
  if (parcels.length === 0) return [];
  const domain = house.senderAddress.split('@')[1];
  const earlier = new Map(
    (
      await listMails(
        client,
        parcels.flatMap(({ notices }) => notices[0]!.notice.mailId ?? []),
      )
    ).map((mail) => [mail.id, mail.message_id]),
  );
  const drafts = parcels.map(({ step, recipient, notices }): MailDraft => {
    const rendered = compose({ step, recipient, assignments: notices.map(({ assignment }) => assignment) }, facts, extras, now);
    const first = notices[0]!.notice;
    return {
      message_id: (first.mailId && earlier.get(first.mailId)) || `<notice-${first.id}@${domain}>`,
      to_name: recipient.person?.name ?? '',
      to_address: recipient.address!,
      from_address: house.senderAddress,
      reply_to: house.replyTo,
      subject: rendered.subject,
      html: rendered.html,
      body: rendered.text,
    };
  });
  const ids = await putMails(client, drafts);
  return parcels.map(({ notices }, i) => {
    const draft = drafts[i]!;
    const mailId = ids.get(draft.message_id)!;
    for (const { decision } of notices) decision.mailId = mailId;
    return letterOf(mailId, draft, house, now);
  });
}

const letterOf = (mailId: string, mail: MailDraft, house: House, now: Instant): Letter => ({
  mailId,
  messageId: mail.message_id,
  fromName: house.senderName,
  fromAddress: mail.from_address,
  replyTo: mail.reply_to,
  toName: mail.to_name,
  toAddress: mail.to_address,
  listId: house.listId,
  organisation: house.organisation,
  subject: mail.subject,
  html: mail.html,
  text: mail.body,
  date: new Date(now),
});

interface Result {
  mailId: string;
  handover: Handover;
}

const sendAll = (mailer: Mailer, letters: readonly Letter[]): Promise<Result[]> =>
  Promise.all(letters.map(async (letter) => ({ mailId: letter.mailId, handover: await mailer.send(letter) })));

async function saveResults(deps: Deps, results: readonly Result[]): Promise<void> {
  if (results.length === 0) return;
  await transaction(deps.db, async (client) => {
    await saveHandovers(client, results, deps.clock.now(), GIVE_UP_MS);
    await announce(client, 'notices', 'people');
  });
  const waiting = results.filter(({ handover }) => handover.outcome === 'later').length;
  if (waiting > 0) deps.log.info({ waiting }, 'Mail could not be handed over; it is tried again.');
}

/** Takes up notices whose hand-over was cut off (a worker died): the same message, the same Message-ID. */
export async function resumeCutOff(deps: Deps, mailer: Mailer): Promise<number> {
  const letters = await transaction(deps.db, async (client) => {
    const mailIds = await claimCutOff(client, new Date(), new Date(Date.now() + LEASE_MS));
    const house = await getHouse(client);
    const mails = await listMails(client, mailIds);
    return mails.map((mail) => letterOf(mail.id, mail, house, deps.clock.now()));
  });
  await saveResults(deps, await sendAll(mailer, letters));
  return letters.length;
}

/** A delivery report came in: the mail server of the addressee has the message. */
export async function recordDelivery(deps: Deps, mailId: string, words: string, at: Date | null): Promise<void> {
  await transaction(deps.db, async (client) => {
    await stampDelivered(client, mailId, at?.getTime() ?? deps.clock.now(), words);
    await announce(client, 'notices');
  });
}
