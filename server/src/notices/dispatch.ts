import { randomBytes } from 'node:crypto';
import {
  anchorsOf,
  compareWaiting,
  decide,
  HELD_UNTIL,
  messageKey,
  sentenceOf,
  type HoldReason,
  type Instant,
  type MissingOf,
  type PlanStep,
  type Recipient,
  type Rendered,
} from '@nudrik/core';
import { lockIds } from '../assignments/assignments.repo.ts';
import { apart } from '../db/apart.ts';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import type { Channel, Handover, Letter } from '../messages/channel.ts';
import { compose, missingIn, type MessageExtras } from '../messages/compose.ts';
import { teamLinksOf } from '../reports/team-links.repo.ts';
import { insertDeliveries, insertMessages, listMessages, type MessageDraft, type MessageRow } from '../messages/messages.repo.ts';
import { getHouse, type House } from '../house/house.ts';
import { Days, findOvertaken, waitingOf, type WaitingNotice } from './day.ts';
import {
  claimCutOff,
  GATHER_LOCK,
  listCertificates,
  listTold,
  saveHandovers,
  settleKnown,
  stampDelivered,
  tryLock,
} from './dispatch.repo.ts';
import { loadFacts, type AssignmentFacts, type Facts } from './facts.ts';
import { claimDue, saveDecisions, setNoticesAside, type ClaimedNotice, type DecisionRow } from './ledger.repo.ts';
import { whyDropped } from './plan.ts';
import { requestReplan } from './queue.ts';
import { tellFailure } from '../work/set-aside.ts';

/** One message to be, and the notices that it carries. */
interface Parcel {
  step: PlanStep;
  recipient: Recipient;
  notices: { notice: ClaimedNotice; assignment: AssignmentFacts; decision: DecisionRow }[];
}

const LEASE_MS = 5 * 60_000;
/** what was cut off longer ago is written anew: its "tomorrow" is past */
const STALE_MS = 12 * 3_600_000;
/** a message that the server would not take for three days has failed */
const GIVE_UP_MS = 3 * 24 * 3_600_000;

/**
 * Sends what is due: claims, decides again with fresh facts under the assignments' locks, stores the messages as they
 * will be read, hands them over, records the outcome. Many workers may run it at once. The next batch is decided while
 * the one before is handed over: the database works while the mail server does (0.6 of a bare sending loop without);
 * a batch is handed over as soon as it is ready, so that no connection waits for the last letter of the one before.
 * @param limit notices of a batch
 * @returns how many notices were decided; 0 when nothing was due
 */
export async function dispatch(deps: Deps, channel: Channel, limit = 200): Promise<number> {
  let decided = 0;
  const sending: Promise<void>[] = [];
  const saving: Promise<void>[] = [];
  for (;;) {
    const batch = await prepare(deps, limit);
    if (batch.decided === 0) break;
    decided += batch.decided;
    sending.push(
      sendAll(channel, batch.letters).then((results) => {
        const saved = saveResults(deps, results);
        saved.catch(() => undefined); // awaited, and thrown, at the end
        saving.push(saved);
      }),
    );
    // one batch is on its way while the next is decided, and not more
    if (sending.length > 1) await sending.shift();
  }
  await Promise.all(sending);
  await Promise.all(saving);
  return decided;
}

/** Gathered notices that are claimed at once, so that nobody's day is split over two messages. */
const GATHERED = 5_000;

/**
 * Claims what is due and decides it, letters of their own and gathered ones in one order. Gathered ones are claimed by one
 * worker at a time; another goes on with the rest.
 */
async function prepare(deps: Deps, limit: number): Promise<{ decided: number; letters: Letter[] }> {
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const gathered = (await tryLock(client, GATHER_LOCK)) ? await claimDue(client, now, true, GATHERED) : [];
    const claimed = [...gathered, ...(await claimDue(client, now, false, limit))];
    if (claimed.length === 0) return { decided: 0, letters: [] };
    return { decided: claimed.length, letters: await settleApart(client, deps, claimed, now) };
  });
}

/** Notices that stand or fall together: those of one gathered message, or of one that was on its way; else each by itself. */
function groupsOf(claimed: readonly ClaimedNotice[], isCutOff: boolean): ClaimedNotice[][] {
  const groups = new Map<string, ClaimedNotice[]>();
  for (const notice of claimed) {
    const key = isCutOff ? `message ${notice.messageId}` : notice.gathered ? `gathered ${notice.recipientId}` : notice.id;
    const group = groups.get(key);
    if (group) group.push(notice);
    else groups.set(key, [notice]);
  }
  return [...groups.values()];
}

/** Decides claimed notices so that one that cannot be decided or written stops none of the others: it is set aside. */
async function settleApart(
  client: Client,
  deps: Deps,
  claimed: readonly ClaimedNotice[],
  now: Instant,
  isCutOff = false,
): Promise<Letter[]> {
  const { results, failed } = await apart(client, groupsOf(claimed, isCutOff), (groups) =>
    settle(client, deps, groups.flat(), now, isCutOff),
  );
  if (failed.length > 0) {
    for (const { item, error } of failed.slice(0, 5))
      deps.log.error({ notices: item.map(({ id }) => id), error: error.stack }, 'Notices were set aside; the rest goes on.');
    const aside = failed.flatMap(({ item, error }) =>
      item.map(({ id }) => ({
        id,
        sentence: `Held: it could not be worked out (${tellFailure(error)}), until ${HELD_UNTIL['set-aside']}.`,
      })),
    );
    await setNoticesAside(client, aside, now);
    await announce(client, 'notices');
  }
  return results.flat();
}

/** Decides claimed notices under the locks of their assignments and composes what goes: load, compute, save. */
async function settle(client: Client, deps: Deps, claimed: readonly ClaimedNotice[], now: Instant, isCutOff = false): Promise<Letter[]> {
  const house = await getHouse(client);
  const ids = [...new Set(claimed.map((notice) => notice.assignment))].sort((a, b) => Number(a) - Number(b));
  await lockIds(client, ids, 'share');
  const facts = await loadFacts(client, house, ids);
  const extras = await loadExtras(client, deps.settings.baseUrl, facts, claimed);
  const { decisions, parcels } = await decideAll(client, claimed, facts, extras, now);
  const letters = await pack(client, parcels, facts, extras, house, now, isCutOff);
  await saveDecisions(client, decisions, now, LEASE_MS, house.zone);
  await announce(client, 'notices');
  return letters;
}

async function loadExtras(client: Client, baseUrl: string, facts: Facts, claimed: readonly ClaimedNotice[]): Promise<MessageExtras> {
  const ids = [...facts.assignments.keys()];
  const gathers = claimed.some((notice) => notice.gathered);
  return {
    baseUrl,
    certificates: await listCertificates(client, ids),
    told: gathers ? await listTold(client, ids) : new Map(),
  };
}

/** Whether what a notice hangs on still stands as it was when it was planned; the planner has not come by yet where not. */
function stillStands({ slot, step, assignment }: WaitingNotice, facts: Facts, now: Instant): boolean {
  const assignee = facts.roster.calendarOf(facts.roster.getPerson(assignment.person));
  return anchorsOf(step.anchor, assignment, assignee, now).some(
    ({ revision, replacedAt, at }) => revision === slot.revision && replacedAt === null && at === slot.anchorAt,
  );
}

/** Decides each claimed notice by core's rules, in core's order. */
async function decideAll(
  client: Client,
  claimed: readonly ClaimedNotice[],
  facts: Facts,
  extras: MessageExtras,
  now: Instant,
): Promise<{ decisions: DecisionRow[]; parcels: Parcel[] }> {
  const decisions: DecisionRow[] = [];
  const parcels = new Map<string, Parcel>();
  const waiting: WaitingNotice[] = [];
  const outdated: string[] = [];
  for (const notice of claimed) {
    const found = waitingOf(notice, facts);
    if (found && stillStands(found, facts, now)) waiting.push(found);
    else {
      // what it was planned from is no longer so: the planner takes it up, under this or another moment
      const assignment = facts.assignments.get(notice.assignment)!;
      decisions.push({ ...undecided(notice), state: 'cancelled', ...whyDropped({ ...notice, isOpen: true }, assignment, facts, now) });
      outdated.push(notice.assignment);
    }
  }
  await requestReplan(client, [...new Set(outdated)]);
  waiting.sort(compareWaiting);
  const missingBy = (known: Facts): MissingOf => missingIn(known, extras);
  const missingOf = missingBy(facts);
  const overtaken = await findOvertaken(client, waiting, facts, now, missingOf);
  const days = await Days.open(client, waiting, facts, now, missingBy, overtaken);

  for (const each of waiting) {
    const { notice, step } = each;
    const assignment = each.assignment as AssignmentFacts;
    const calendar = facts.roster.calendarOf(facts.roster.getPerson(assignment.person));
    const decision = decide({
      slot: notice,
      step,
      assignment,
      roster: facts.roster,
      now,
      countOf: days.countFor(each),
      supersededBy: overtaken.get(notice.id) ?? null,
      missingOf,
    });
    const { recipient } = decision;
    const row: DecisionRow = {
      id: notice.id,
      state: decision.kind === 'send' ? 'sending' : decision.kind === 'hold' ? 'held' : 'skipped',
      because: decision.kind === 'skip' ? decision.because : null,
      heldBecause: decision.kind === 'hold' ? decision.because : null,
      until: decision.kind === 'hold' ? decision.until : null,
      recipientId: recipient.person?.id ?? null,
      recipientName: recipient.person?.name ?? recipient.address,
      sentence: sentenceOf(
        decision,
        notice,
        step,
        calendar.zone,
        decision.kind === 'hold' ? now : notice.plannedAt,
        notice.heldBecause as HoldReason | null,
      ),
      trace: decision.trace,
      messageId: null,
    };
    decisions.push(row);
    days.settle(each, decision.kind === 'send' ? row.recipientId : null);
    if (decision.kind !== 'send') continue;
    const day = facts.roster.calendarOf(recipient.person ?? facts.roster.getPerson(assignment.person)).zone.dayAt(now);
    const key = messageKey(step, notice, recipient.person?.id ?? recipient.address, day);
    const parcel = parcels.get(key);
    if (parcel) parcel.notices.push({ notice, assignment, decision: row });
    else parcels.set(key, { step, recipient, notices: [{ notice, assignment, decision: row }] });
  }
  return { decisions, parcels: [...parcels.values()] };
}

const undecided = (notice: ClaimedNotice): DecisionRow => ({
  id: notice.id,
  state: 'cancelled',
  because: null,
  heldBecause: null,
  until: null,
  recipientId: null,
  recipientName: null,
  sentence: '',
  trace: [],
  messageId: null,
});

/**
 * Composes the message of each parcel and stores it; the notices point at it. A message is never changed: one that is
 * tried again goes as it is where it would read the same, and else a new one takes its place. After a cut-off nobody
 * knows whether it arrived, so it goes again as it was, under the same Message-ID, to the same address.
 */
async function pack(
  client: Client,
  parcels: readonly Parcel[],
  facts: Facts,
  extras: MessageExtras,
  house: House,
  now: Instant,
  isCutOff: boolean,
): Promise<Letter[]> {
  if (parcels.length === 0) return [];
  const domain = house.senderAddress.split('@')[1];
  const ids = parcels.flatMap(({ notices }) => notices.flatMap(({ notice }) => notice.messageId ?? []));
  const earlier = new Map((await listMessages(client, [...new Set(ids)])).map((message) => [message.id, message]));
  const leading = parcels.flatMap(({ step, recipient }) =>
    step.to.includes('employee') || !recipient.person ? [] : [recipient.person.id],
  );
  extras = { ...extras, teamLinks: await teamLinksOf(client, [...new Set(leading)]) };
  const all = extras;
  const write = ({ step, recipient, notices }: Parcel, at: Instant): Rendered =>
    compose({ step, recipient, assignments: notices.map(({ assignment }) => assignment) }, facts, all, at);
  const drafts: { parcel: Parcel; draft: MessageDraft }[] = [];
  const again: { parcel: Parcel; message: MessageRow }[] = [];
  for (const parcel of parcels) {
    const { recipient, notices } = parcel;
    const rendered = write(parcel, now);
    const first = notices[0]!.notice;
    const draft: MessageDraft = {
      // never the id of another: an attempt may be counted anew when a notice is planned anew
      message_id: `<notice-${first.id}.${randomBytes(6).toString('hex')}@${domain}>`,
      to_name: recipient.person?.name ?? '',
      to_address: recipient.address!,
      from_address: house.senderAddress,
      reply_to: house.replyTo,
      subject: rendered.subject,
      html: rendered.html,
      body: rendered.text,
    };
    const former = sharedMessage(parcel, earlier);
    // one that may have arrived is the same where nothing but time went by since; one that was refused, where it reads the same
    const isTimely = former !== null && isCutOff && !hasNews(parcel, former.composed_at.getTime(), now);
    const readsAs = isTimely ? write(parcel, former.composed_at.getTime()) : rendered;
    if (former !== null && isSame(former, draft, readsAs)) {
      earlier.delete(former.id); // a message goes once, whatever became of those that it told of
      again.push({ parcel, message: former });
    } else drafts.push({ parcel, draft });
  }
  const made = await insertMessages(
    client,
    drafts.map(({ draft }) => draft),
    now,
  );
  const letters: Letter[] = [];
  const post = ({ notices }: Parcel, messageId: string, message: MessageDraft): void => {
    for (const { decision } of notices) decision.messageId = messageId;
    letters.push(letterOf(messageId, message, house, now));
  };
  for (const { parcel, draft } of drafts) post(parcel, made.get(draft.message_id)!, draft);
  for (const { parcel, message } of again) post(parcel, message.id, message);
  await insertDeliveries(
    client,
    letters.map(({ messageId }) => messageId),
    now,
  );
  return letters;
}

/** Whether anything came to be known of what a message tells since it was written, or so long ago that its "tomorrow" is past. */
const hasNews = ({ notices }: Parcel, writtenAt: Instant, now: Instant): boolean =>
  now - writtenAt > STALE_MS || notices.some(({ assignment }) => assignment.events.some(({ at }) => at > writtenAt && at <= now));

/** Whether a message that was composed before may go as it is. */
const isSame = (former: MessageRow, draft: MessageDraft, reads: Rendered): boolean =>
  former.to_address === draft.to_address && former.subject === reads.subject && former.body === reads.text && former.html === reads.html;

/** The message that all notices of a parcel were on before, or null. */
function sharedMessage({ notices }: Parcel, earlier: ReadonlyMap<string, MessageRow>): MessageRow | null {
  const [first] = notices;
  const id = first!.notice.messageId;
  return id !== null && notices.every(({ notice }) => notice.messageId === id) ? (earlier.get(id) ?? null) : null;
}

const letterOf = (messageId: string, message: MessageDraft, house: House, now: Instant): Letter => ({
  messageId,
  headerId: message.message_id,
  fromName: house.senderName,
  fromAddress: message.from_address,
  replyTo: message.reply_to,
  toName: message.to_name,
  toAddress: message.to_address,
  listId: house.listId,
  organisation: house.organisation,
  subject: message.subject,
  html: message.html,
  text: message.body,
  date: new Date(now),
});

interface Result {
  messageId: string;
  handover: Handover;
}

const sendAll = (channel: Channel, letters: readonly Letter[]): Promise<Result[]> =>
  Promise.all(letters.map(async (letter) => ({ messageId: letter.messageId, handover: await channel.send(letter) })));

async function saveResults(deps: Deps, results: readonly Result[]): Promise<void> {
  if (results.length === 0) return;
  await transaction(deps.db, async (client) => {
    await saveHandovers(client, results, deps.clock.now(), GIVE_UP_MS);
    await announce(client, 'notices', 'people');
  });
  const waiting = results.filter(({ handover }) => handover.outcome === 'later').length;
  if (waiting > 0) deps.log.info({ waiting }, 'Mail could not be handed over; it is tried again.');
}

/**
 * Takes up notices whose hand-over was cut off (a worker died). They are decided again first: who has finished, left or
 * moved meanwhile is not written to as if nothing had happened.
 */
export async function resumeCutOff(deps: Deps, channel: Channel): Promise<number> {
  const letters = await transaction(deps.db, async (client) => {
    await settleKnown(client, deps.clock.now());
    const claimed = await claimCutOff(client, LEASE_MS);
    return claimed.length === 0 ? [] : settleApart(client, deps, claimed, deps.clock.now(), true);
  });
  await saveResults(deps, await sendAll(channel, letters));
  return letters.length;
}

/** A delivery report came in: the mail server of the addressee has the message. */
export async function recordDelivery(deps: Deps, messageId: string, words: string, at: Date | null): Promise<void> {
  await transaction(deps.db, async (client) => {
    await stampDelivered(client, messageId, at?.getTime() ?? deps.clock.now(), words);
    await announce(client, 'notices');
  });
}
