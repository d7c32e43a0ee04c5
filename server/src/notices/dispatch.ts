import { randomBytes } from 'node:crypto';
import {
  anchorsOf,
  compareWaiting,
  dateOf,
  decide,
  HELD_UNTIL,
  messageKey,
  sectionKey,
  sentenceOf,
  windowOf,
  Zone,
  placesOf,
  type HoldReason,
  type Instant,
  type MissingOf,
  type PlanStep,
  type Recipient,
  wayNow,
  type WayNow,
} from '@nudrik/core';
import { signedToken, withSigned, type PersonalLink } from '../access/personal-link.ts';
import { lockIds } from '../assignments/assignments.repo.ts';
import { apart } from '../db/apart.ts';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import type { Channel, Letter } from '../messages/channel.ts';
import { insertChatPosts, type BesideDraft } from '../chat/chat.repo.ts';
import { isChatOpen } from '../chat/way.ts';
import { noteCopies } from '../copies/copies.ts';
import { attachedCertificates } from '../certificates/attached.ts';
import { attachedRecords } from '../sign-offs/attached.ts';
import { waysIn } from '../sign-offs/ways-in.ts';
import { attaching, downloadLinks, giveDownloads, sameFiles } from '../handouts/files.ts';
import {
  composeTogether,
  declinable,
  isOwn,
  missingIn,
  personalLink,
  wayKey,
  type Composed,
  type MessageExtras,
} from '../messages/compose.ts';
import { teamLinksOf } from '../reports/team-links.repo.ts';
import { insertDeliveries, insertMessages, listMessages, type MessageDraft, type MessageRow } from '../messages/messages.repo.ts';
import { lockHolds } from '../holding/holding.repo.ts';
import { getHouse, type House } from '../house/house.ts';
import { Days, findOvertaken, waitingOf, type WaitingNotice } from './day.ts';
import { claimCutOff, GATHER_LOCK, listCertificates, listTold, settleKnown, stampReport, tryLock } from './dispatch.repo.ts';
import { loadFacts, noticesOf, type AssignmentFacts, type Facts } from './facts.ts';
import { claimDue, postponeNotices, saveDecisions, setNoticesAside, type ClaimedNotice, type DecisionRow } from './ledger.repo.ts';
import { whyDropped } from './plan.ts';
import { requestReplan } from './queue.ts';
import { pictureFor } from '../messages/picture.ts';
import { sameDate } from '../messages/calendar.ts';
import { envelopeOf } from '../messages/envelope.ts';
import { signedAddress } from '../messages/reply-address.ts';
import type { DeliveryReport } from '../messages/read-mail.ts';
import { findPause } from '../messages/channels.repo.ts';
import { endLease, forgetGone, listGone, takeLease, type Lease } from '../work/lease.ts';
import { tellFailure } from '../work/set-aside.ts';
import { Wire } from './wire.ts';

/** One message to be, and the notices that it carries. */
interface Parcel {
  step: PlanStep;
  recipient: Recipient;
  notices: { step: PlanStep; notice: ClaimedNotice; assignment: AssignmentFacts; decision: DecisionRow }[];
}

/** The pieces of a parcel: of who hears of a day at once, one for each message that it would have been. */
function sectionsOf(parcel: Parcel): Parcel[] {
  const { recipient, notices } = parcel;
  // one notice is one piece, as most parcels are
  if (notices.length === 1) return [parcel];
  const sections = new Map<string, Parcel>();
  for (const each of notices) {
    const key = sectionKey(each.step, each.notice, recipient.person, 0);
    const section = sections.get(key);
    if (section) section.notices.push(each);
    else sections.set(key, { step: each.step, recipient, notices: [each] });
  }
  return [...sections.values()];
}

/** what was cut off longer ago is written anew: its "tomorrow" is past */
const STALE_MS = 12 * 3_600_000;
/** Gathered notices that are claimed at once, so that nobody's day is split over two messages. */
const GATHERED = 5_000;

/**
 * Claims what is due, decides it and puts it on the wire, as long as there is room there; what was cut off first. The next
 * batch is decided while the one before is handed over: the database works while the mail server does.
 * @param limit notices of a batch; 0 is as many as the wire takes
 * @returns how many notices were decided; 0 when nothing was due, or the channel stands still
 */
export async function claimOnto(deps: Deps, channel: Channel, wire: Wire, lease: Lease, limit = 0): Promise<number> {
  let decided = 0;
  while (wire.room > 0 && lease.isGood) {
    const pause = await findPause(deps.db, channel.name);
    if (pause && pause.paused_until.getTime() > deps.clock.now()) break;
    wire.isProbing ||= pause !== null;
    const most = Math.min(limit || wire.room, wire.room);
    const batch = await prepare(deps, lease, wire.isProbing ? Math.min(most, channel.width) : most);
    if (batch.decided === 0) break;
    decided += batch.decided;
    wire.push(batch.letters, lease);
  }
  return decided;
}

/**
 * Sends all that is due and waits until it is sent: for whoever has nothing else to do meanwhile.
 * @returns how many notices were decided
 */
export async function dispatch(deps: Deps, channel: Channel, limit = 0): Promise<number> {
  const lease = await takeLease(deps.db);
  const wire = new Wire(deps, channel);
  let decided = 0;
  for (;;) {
    const claimed = await claimOnto(deps, channel, wire, lease, limit);
    decided += claimed;
    if (claimed === 0 && wire.isIdle) break;
    await lease.renew(deps.db);
    // room comes with letters that go; with nothing to claim, retries come with their answers
    if (claimed === 0) await wire.idle();
    else if (wire.room === 0) await wire.changed();
  }
  await endLease(deps.db, lease);
  return decided;
}

/**
 * Claims what was cut off, or what is due, and decides it: letters of their own and gathered ones in one order. Gathered ones
 * are claimed by one worker at a time; another goes on with the rest.
 */
async function prepare(deps: Deps, lease: Lease, limit: number): Promise<{ decided: number; letters: Letter[] }> {
  return transaction(deps.db, async (client) => {
    await lockHolds(client, 'share');
    const now = deps.clock.now();
    const cutOff = await resume(client, deps, lease, limit);
    if (cutOff) return cutOff;
    const gathered = (await tryLock(client, GATHER_LOCK)) ? await claimDue(client, now, true, GATHERED) : [];
    const claimed = [...gathered, ...(await claimDue(client, now, false, limit))];
    if (claimed.length === 0) return { decided: 0, letters: [] };
    return { decided: claimed.length, letters: await settleApart(client, deps, lease, claimed, now) };
  });
}

/**
 * Takes up letters whose hand-over was cut off (a worker died). They are decided again first: who has finished, left or
 * moved meanwhile is not written to as if nothing had happened.
 */
async function resume(client: Client, deps: Deps, lease: Lease, limit: number): Promise<{ decided: number; letters: Letter[] } | null> {
  const gone = await listGone(client);
  const now = deps.clock.now();
  await settleKnown(client, gone, now);
  const claimed = await claimCutOff(client, lease.worker, gone, limit);
  if (claimed.length === 0) {
    if (gone.length > 0) await forgetGone(client, gone);
    return null;
  }
  deps.log.warn({ notices: claimed.length }, 'Notices whose hand-over was cut off are taken up again.');
  return { decided: claimed.length, letters: await settleApart(client, deps, lease, claimed, now, true) };
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
  lease: Lease,
  claimed: readonly ClaimedNotice[],
  now: Instant,
  isCutOff = false,
): Promise<Letter[]> {
  const { results, failed } = await apart(client, groupsOf(claimed, isCutOff), (groups) => settle(client, deps, lease, groups.flat(), now));
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
async function settle(client: Client, deps: Deps, lease: Lease, claimed: readonly ClaimedNotice[], now: Instant): Promise<Letter[]> {
  const house = await getHouse(client);
  const ids = [...new Set(claimed.map((notice) => notice.assignment))].sort((a, b) => Number(a) - Number(b));
  await lockIds(client, ids, 'share');
  const facts = await loadFacts(client, house, ids);
  const extras = await loadExtras(client, deps.settings.baseUrl, facts, claimed);
  const { decisions, parcels } = await decideAll(client, claimed, facts, extras, now);
  const letters = await pack(client, parcels, facts, extras, house, deps.settings.key, now);
  await saveDecisions(client, decisions, now, lease.worker, house.zone);
  await announce(client, 'notices');
  return letters;
}

/** What would become of notices, were they decided now, by the sender's own code. What is changed on the way is the caller's to take back. */
export async function foreseeDecisions(
  client: Client,
  deps: Deps,
  claimed: readonly ClaimedNotice[],
  now: Instant,
): Promise<DecisionRow[]> {
  const facts = await loadFacts(client, await getHouse(client), [...new Set(claimed.map((notice) => notice.assignment))]);
  const extras = await loadExtras(client, deps.settings.baseUrl, facts, claimed);
  return (await decideAll(client, claimed, facts, extras, now)).decisions;
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

/** When a message that was not taken at its moment is tried again: inside the send window of its reader, unless its step is exact. */
function laterTry({ notice, step }: WaitingNotice, facts: Facts, now: Instant): Instant | null {
  if (notice.attempts === 0 || notice.isOnItsWay || windowOf(step) === 'exact') return null;
  const { roster } = facts;
  const calendar = roster.calendarOf(roster.person(notice.recipientId) ?? roster.getPerson(notice.personId));
  const at = calendar.fitLater(now, roster.settings.sendWindow);
  return at > now ? at : null;
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
  const postponed: { id: string; at: Instant }[] = [];
  for (const notice of claimed) {
    const found = waitingOf(notice, facts);
    const later = found && laterTry(found, facts, now);
    if (later) postponed.push({ id: notice.id, at: later });
    else if (found && stillStands(found, facts, now)) waiting.push(found);
    else {
      // what it was planned from is no longer so: the planner takes it up, under this or another moment
      const assignment = facts.assignments.get(notice.assignment)!;
      decisions.push({ ...undecided(notice), state: 'cancelled', ...whyDropped({ ...notice, isOpen: true }, assignment, facts, now) });
      outdated.push(notice.assignment);
    }
  }
  await requestReplan(client, [...new Set(outdated)]);
  if (postponed.length > 0) await postponeNotices(client, postponed);
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
      noticesOf: noticesOf(facts),
      held: each.held,
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
    if (decision.kind !== 'send') {
      days.settle(each);
      continue;
    }
    days.settleGone(each, row.recipientId);
    const day = facts.roster.calendarOf(recipient.person ?? facts.roster.getPerson(assignment.person)).zone.dayAt(now);
    const key = messageKey(step, notice, recipient.person, day);
    const parcel = parcels.get(key);
    if (parcel) parcel.notices.push({ step, notice, assignment, decision: row });
    else parcels.set(key, { step, recipient, notices: [{ step, notice, assignment, decision: row }] });
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
 * tried again goes as it is where it would read the same, and else a new one takes its place. One of which nobody knows
 * whether it arrived goes again as it was, under the same Message-ID, as long as nothing but time went by since.
 */
async function pack(
  client: Client,
  parcels: readonly Parcel[],
  facts: Facts,
  extras: MessageExtras,
  house: House,
  key: string,
  now: Instant,
): Promise<Letter[]> {
  if (parcels.length === 0) return [];
  const domain = house.senderAddress.split('@')[1];
  const ids = parcels.flatMap(({ notices }) => notices.flatMap(({ notice }) => notice.messageId ?? []));
  const earlier = new Map((await listMessages(client, [...new Set(ids)])).map((message) => [message.id, message]));
  const leading = parcels.flatMap(({ recipient, notices }) =>
    recipient.person && !isOwn(notices[0]!.assignment, recipient) ? [recipient.person.id] : [],
  );
  const asked = parcels.flatMap(sectionsOf).flatMap(({ step, recipient, notices: [first] }) =>
    recipient.person && !isOwn(first!.assignment, recipient) && placesOf(step.message).has('sign-off')
      ? [{ key: wayKey(step, first!.assignment, recipient), course: first!.assignment.course, unit: step.anchor.unit ?? null, assignment: first!.assignment.id, person: recipient.person.id }]
      : [],
  ); // prettier-ignore
  extras = {
    ...extras,
    teamLinks: await teamLinksOf(client, [...new Set(leading)]),
    signOffWays: await waysIn(client, extras.baseUrl, asked, { today: dateOf(Zone.of(house.zone).dayAt(now)), now }),
  };
  const all = extras;
  const isOpen = await isChatOpen(client, facts.roster.settings, now);
  const wayOf = ({ step, recipient, notices }: Parcel, { calendar, files }: Composed): WayNow =>
    wayNow(step, recipient, facts.roster.settings, {
      isOpen,
      hasFailed: notices.some(({ notice }) => notice.chatFailed),
      needsMail:
        calendar !== null || !!step.message.withCertificate || !!step.message.withRecord || files.some(({ as }) => as === 'attached'),
    });
  const write = (parcel: Parcel, at: Instant): Composed => {
    const { notices } = parcel;
    const composed = composeTogether(
      sectionsOf(parcel).map(({ step, recipient, notices: told }) => ({
        step,
        recipient,
        assignments: told.map(({ assignment }) => assignment),
        notice: told[0]!.notice.id,
        revisions: told.map(({ notice }) => notice.revision),
      })),
      facts,
      all,
      at,
    );
    if (house.inboundAddress === null) return composed;
    // what comes in says what it answers
    return { ...composed, replyTo: signedAddress(house.envelopeKey, house.inboundAddress, { kind: 'notice', id: notices[0]!.notice.id }) };
  };
  const drafts: { parcel: Parcel; way: WayNow; draft: MessageDraft }[] = [];
  const again: { parcel: Parcel; way: WayNow; message: MessageRow }[] = [];
  for (const parcel of parcels) {
    const { recipient, notices } = parcel;
    const rendered = write(parcel, now);
    const first = notices[0]!.notice;
    const way = wayOf(parcel, rendered);
    const draft: MessageDraft = {
      // never the id of another: an attempt may be counted anew when a notice is planned anew
      message_id: `<notice-${first.id}.${randomBytes(6).toString('hex')}@${domain}>`,
      to_name: recipient.person?.name ?? '',
      to_address: recipient.address ?? way.address,
      from_name: rendered.fromName,
      from_address: house.senderAddress,
      reply_to: rendered.replyTo,
      replies_to: rendered.repliesTo,
      subject: rendered.subject,
      html: rendered.html,
      body: rendered.text,
      calendar: rendered.calendar,
      files: rendered.files,
    };
    const former = sharedMessage(parcel, earlier);
    // one that may have arrived is the same where nothing but time went by since; one that was refused, where it reads the same
    const isTimely = former?.may_have_arrived === true && !hasNews(parcel, former.composed_at.getTime(), now);
    const readsAs = isTimely ? write(parcel, former.composed_at.getTime()) : rendered;
    if (former !== null && isSame(former, draft, readsAs)) {
      earlier.delete(former.id); // a message goes once, whatever became of those that it told of
      again.push({ parcel, way, message: former });
    } else drafts.push({ parcel, way, draft });
  }
  const made = await insertMessages(
    client,
    drafts.map(({ draft }) => draft),
    now,
  );
  const posts = [
    ...drafts.map(({ parcel, way, draft }) => ({ parcel, way, id: made.get(draft.message_id)!, message: draft })),
    ...again.map(({ parcel, way, message }) => ({ parcel, way, id: message.id, message })),
  ];
  const deliveries = await insertDeliveries(
    client,
    posts.map(({ id, way }) => ({ message: id, channel: way.channel, address: way.address })),
    now,
  );
  const pictured = pictureFor(client, house, all.baseUrl);
  const filesOf = attaching(client, facts.handouts);
  const documentsOf = async ({ notices: of }: Parcel): Promise<NonNullable<Letter['files']>> => [
    ...(await attachedCertificates(client, of, all.baseUrl)),
    ...(await attachedRecords(client, of)),
  ];
  const told = posts.flatMap(({ parcel, id, message }) => sectionsOf(parcel).map((section) => ({ ...section, id, message })));
  const given = told.map(({ step, recipient, notices, message }) => ({ step, notice: notices[0]!.notice.id, person: recipient.person?.id ?? null, toName: message.to_name, toAddress: message.to_address })); // prettier-ignore
  await giveDownloads(client, given, facts.handouts, now);
  const copied = told.map(({ step, notices, id, message }) => ({ step, assignment: notices[0]!.assignment, message: id, toAddress: message.to_address })); // prettier-ignore
  await noteCopies(client, copied, facts, now);
  const letters: Letter[] = [];
  const beside: BesideDraft[] = [];
  for (const { parcel, way, id, message } of posts) {
    const { step, notices } = parcel;
    for (const { decision } of notices) decision.messageId = id;
    const { messageId: former, attempts } = notices[0]!.notice;
    const links = linksOf(parcel, all);
    const signed = (text: string): string => links.reduce((known, each) => withSigned(known, key, each), text);
    const letter = letterOf(id, deliveries.get(id)!, message, house, now);
    if (way.channel === 'chat') {
      letters.push({
        ...letter,
        channel: 'chat',
        toAddress: way.address,
        hasOtherWay: way.hasOtherWay,
        text: signed(letter.text),
        html: '',
      });
      continue;
    }
    if (way.beside !== null && attempts === 0)
      beside.push({ message: id, former, person: way.beside, from: letter.fromName, subject: letter.subject, body: letter.text, links }); // prettier-ignore
    const files = [...(await filesOf(step)), ...(await documentsOf(parcel))];
    // one press declines one kind: of several that come together each has its own link
    const declining = sectionsOf(parcel).length === 1 ? links.filter(({ kind }) => kind === 'decline') : [];
    const unsubscribe = declining.length === 1 ? `${all.baseUrl}/api/declines/${signedToken(key, 'decline', declining[0]!.token)}` : null; // prettier-ignore
    letters.push(await pictured({ ...letter, html: signed(letter.html), text: signed(letter.text), ...(files.length > 0 && { files }), ...(unsubscribe && { unsubscribe }) })); // prettier-ignore
  }
  await insertChatPosts(client, beside, now);
  return letters;
}

/** The personal links that a message holds, each once, as they are kept. */
function linksOf(parcel: Parcel, { teamLinks, signOffWays }: MessageExtras): PersonalLink[] {
  const links = sectionsOf(parcel).flatMap(({ step, recipient, notices }) => [
    ...[personalLink(notices[0]!.assignment, recipient, teamLinks)].filter((link) => link !== null),
    ...downloadLinks(step, notices[0]!.notice.id),
    ...[signOffWays?.get(wayKey(step, notices[0]!.assignment, recipient))?.link ?? null].filter((link) => link !== null),
    ...(declinable(step, notices[0]!.assignment, recipient) ? [{ kind: 'decline' as const, token: notices[0]!.notice.id }] : []),
  ]);
  return [...new Map(links.map((link) => [`${link.kind}/${link.token}`, link])).values()];
}

/** Whether anything came to be known of what a message tells since it was written, or so long ago that its "tomorrow" is past. */
const hasNews = ({ notices }: Parcel, writtenAt: Instant, now: Instant): boolean =>
  now - writtenAt > STALE_MS || notices.some(({ assignment }) => assignment.events.some(({ at }) => at > writtenAt && at <= now));

/** Whether a message that was composed before may go as it is. */
const isSame = (former: MessageRow, draft: MessageDraft, reads: Composed): boolean =>
  former.to_address === draft.to_address &&
  former.reply_to === reads.replyTo &&
  former.replies_to === reads.repliesTo &&
  (former.from_name ?? reads.fromName) === reads.fromName &&
  former.subject === reads.subject &&
  former.body === reads.text &&
  former.html === reads.html &&
  sameDate(former.calendar, reads.calendar) &&
  sameFiles(former.files ?? [], reads.files);

/** The message that all notices of a parcel were on before, or null. */
function sharedMessage({ notices }: Parcel, earlier: ReadonlyMap<string, MessageRow>): MessageRow | null {
  const [first] = notices;
  const id = first!.notice.messageId;
  return id !== null && notices.every(({ notice }) => notice.messageId === id) ? (earlier.get(id) ?? null) : null;
}

const letterOf = (messageId: string, deliveryId: string, message: MessageDraft, house: House, now: Instant): Letter => ({
  messageId,
  deliveryId,
  envelopeId: envelopeOf(house.envelopeKey, deliveryId),
  headerId: message.message_id,
  ...(house.inboundAddress !== null && {
    envelopeFrom: signedAddress(house.envelopeKey, house.inboundAddress, { kind: 'delivery', id: deliveryId }),
  }),
  fromName: message.from_name ?? house.senderName,
  fromAddress: message.from_address,
  replyTo: message.reply_to,
  toName: message.to_name,
  toAddress: message.to_address,
  listId: house.listId,
  organisation: house.organisation,
  subject: message.subject,
  html: message.html,
  text: message.body,
  calendar: message.calendar,
  date: new Date(now),
});

/**
 * It came to be known of an attempt that the addressee's server has the message, could not deliver it, or tries on. Whoever calls has
 * seen that what says so names the attempt by what we signed.
 */
export async function recordReport(deps: Deps, deliveryId: string, report: DeliveryReport): Promise<void> {
  await transaction(deps.db, async (client) => {
    await stampReport(client, deliveryId, report, deps.clock.now());
    await announce(client, 'notices', 'people');
  });
}
