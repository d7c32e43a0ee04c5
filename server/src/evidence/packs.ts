import { once } from 'node:events';
import type { Writable } from 'node:stream';
import type { FinishedRow, Manifest, PackMade, PackPreview, PackRequest, PacksView } from '@nudrik/contract';
import {
  dateOf,
  dayOf,
  OUTCOME_WORDS,
  tellAmount,
  tellDate,
  tellMoment,
  tellSteps,
  tellTime,
  Zone,
  zoneWords,
  type Names,
  type PlanStep,
  headOfHold,
} from '@nudrik/core';
import { certificatePdf } from '../certificates/certificates.repo.ts';
import { transaction, type Client, type Queryable } from '../db/db.ts';
import { restLong } from '../db/cursor.ts';
import type { Deps } from '../deps.ts';
import { findFile } from '../files/files.repo.ts';
import { getHouse, type House } from '../house/house.ts';
import { signingKey } from '../house/signing-key.ts';
import { asSent } from '../messages/as-sent.ts';
import { emlOf } from '../messages/mbox.ts';
import { changeWords, eventWords, listEventsOf, timelineOf } from '../people/timeline.ts';
import { Refused } from '../refusal.ts';
import { atNow, atOf } from '../reports/as-of.ts';
import { reportRowsOf } from '../reports/course-report.ts';
import { fileOf } from '../reports/files.ts';
import { finishedRows } from '../reports/lists.ts';
import type { Column, Made } from '../reports/table.ts';
import { writeTable } from '../reports/write-table.ts';
import { findRequirementRow, loadNames } from '../requirements/facts.ts';
import { tellRules } from '../requirements/change.ts';
import { listStandings } from '../requirements/preview.ts';
import { listHoldsOver, type HoldRow } from '../holding/holding.repo.ts';
import { lookAtOnce, listSaid, listSealDays, type Sealed } from '../seals/seals.repo.ts';
import { signOffDocument } from '../sign-offs/document.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { indexHtml, indexPdf, type IndexBlock } from './index-page.ts';
import { hashOf, MANIFEST, printOf, SIGNATURE, signManifest, writeManifest } from './manifest.ts';
import { PackFile } from './pack-file.ts';
import {
  countInPack,
  findTitle,
  insertPack,
  listDeliveries,
  listEventIds,
  listMessageIds,
  listNamesOf,
  listPackActs,
  listPackAssignments,
  listPackCertificates,
  listPackChanges,
  listPackNotices,
  listPackPeople,
  listPackRequirements,
  listPacks,
  listPackSignOffs,
  listPackVersions,
  listScope,
  listSentMessages,
  listUnitNames,
  type PackAct,
  type PackAssignment,
  type PackCertificate,
  type PackChange,
  type PackCounts,
  type PackDelivery,
  type PackNotice,
  type PackPerson,
  type PackRequirement,
  type PackSignOff,
  type ScopeRow,
  type Span,
} from './packs.repo.ts';
import { drawSample } from './sample.ts';
import { RECORD } from './verify-pack.ts';

/** What fits into one pack. */
const MOST = { assignments: 50_000, messages: 20_000, certificates: 3_000, signOffs: 3_000 } as const;
/** Assignments whose facts are read at once. */
const PART = 500;
/** Told one by one in the index; of more the tables tell. */
const MOST_PEOPLE_TOLD = 40;
const MOST_ASSIGNMENTS_TOLD = 500;

/** A pack that could be made: what it is about, of when, and which assignments are in it. */
interface Scope {
  title: string;
  when: string;
  span: Span;
  /** the last day that it is of */
  lastDay: string;
  isPast: boolean;
  rows: ScopeRow[];
  people: string[];
  zone: Zone;
  house: House;
}

/** What a pack is about, of when, and which assignments are in it. @throws Refused where there is no such thing, or the days are none */
async function scopeOf(deps: Deps, db: Queryable, request: PackRequest): Promise<Scope> {
  const { of } = request;
  const house = await getHouse(db);
  const zone = Zone.of(house.zone);
  const now = deps.clock.now();
  const today = dateOf(zone.dayAt(now));
  const [from, to] = of.kind === 'sample' ? [of.sample.from, of.sample.to] : [request.from, request.to];
  if (to !== null && to > today)
    throw new Refused('wrong-input', `${tellDate(dayOf(to))} has not come yet; expected a day up to today, or none for what is now.`);
  const lastDay = to ?? today;
  const isPast = lastDay < today;
  const span: Span = {
    from: from === null ? null : new Date(zone.toInstant(dayOf(from), 0)),
    fromDay: from,
    until: new Date(isPast ? zone.toInstant(dayOf(lastDay) + 1, 0) : now),
  };
  const when = `${from === null ? 'from the beginning' : `from ${tellDate(dayOf(from))}`} to ${isPast ? `the end of ${tellDate(dayOf(lastDay))}` : tellMoment(now, zone, 0)}`;
  const base = { when, span, lastDay, isPast, zone, house };
  const most = MOST.assignments + 1;
  const made = (title: string, rows: ScopeRow[], more: readonly string[] = []): Scope => ({
    ...base,
    title,
    rows,
    people: [...new Set([...more, ...rows.map((row) => row.person_id)])],
  });
  if (of.kind === 'period') return made(`Everything of ${house.organisation}`, await listScope(db, 'period', [], [], span, most));
  if (of.kind === 'sample') {
    const { rows, words } = await drawSample(db, of.sample, zone, now);
    const ids = rows.map(({ person }) => person.id);
    return made(`Sample: ${words}`, await listScope(db, 'people', ids, [], span, most), ids);
  }
  const title = await findTitle(db, of.kind, of.id);
  if (title === null) throw new Refused('not-found', `There is no such ${of.kind}, or not any more.`);
  if (of.kind === 'person') return made(title, await listScope(db, 'people', [of.id], [], span, most), [of.id]);
  if (of.kind === 'course') return made(title, await listScope(db, 'course', [of.id], [], span, most));
  const asked = (await listStandings(deps, of.id)).people.filter(({ standing }) => standing !== 'out').map(({ id }) => id);
  return made(`Requirement “${title}”`, await listScope(db, 'requirement', [of.id], asked, span, most), asked);
}

const idsOf = (rows: readonly { id: string }[]): string[] => rows.map(({ id }) => id);

function faultOf({ rows, people }: Scope, counts: PackCounts, withMessages: boolean): string | null {
  const has = (count: number, most: number, what: string, or = ''): string | null =>
    count > most ? `It has more than ${tellAmount(most, what)}, the most in one pack. Take fewer days, or one course or person${or}.` : null; // prettier-ignore
  if (rows.length === 0 && people.length === 0) return 'Nothing of that time is on the record: there is nothing to put into a pack.';
  return (
    has(rows.length, MOST.assignments, 'assignments') ??
    (withMessages ? has(counts.messages, MOST.messages, 'messages', ', or the list of messages alone') : null) ??
    has(counts.certificates, MOST.certificates, 'certificates') ??
    has(counts.signOffs, MOST.signOffs, 'sign-offs')
  );
}

/** What would be in a pack. */
export async function previewPack(deps: Deps, request: PackRequest): Promise<PackPreview> {
  const scope = await scopeOf(deps, deps.db, request);
  const counts = await countInPack(deps.db, idsOf(scope.rows), scope.span.until);
  return {
    title: scope.title,
    when: scope.when,
    people: scope.people.length,
    assignments: scope.rows.length,
    ...counts,
    fault: faultOf(scope, counts, request.withMessages),
  };
}

export const packsView = async ({ db, settings }: Deps): Promise<PacksView> => ({
  key: await printOf(signingKey(settings.key, 'evidence').open),
  packs: await listPacks(db),
});

/** Facts of many assignments, a part after the other. */
async function* inParts<T>(ids: readonly string[], read: (part: string[]) => Promise<T[]>): AsyncGenerator<T[]> {
  for (let at = 0; at < ids.length; at += PART) yield await read(ids.slice(at, at + PART));
}

const at = (moment: Date | null): { at: string } | null => moment && { at: moment.toISOString() };
const on = (day: string | null): { on: string } | null => (day === null ? null : { on: day });

const PEOPLE: readonly Column<PackPerson>[] = [
  { head: 'Person', width: 24, cell: (row) => row.name },
  { head: 'Personnel number', width: 16, cell: (row) => row.personnel_number },
  { head: 'E-mail', width: 30, cell: (row) => row.email },
  { head: 'Department', width: 14, cell: (row) => row.department },
  { head: 'Site', width: 14, cell: (row) => row.site },
  { head: 'Job', width: 14, cell: (row) => row.job },
  { head: 'Manager', width: 24, cell: (row) => row.manager },
  { head: 'Joined', width: 12, cell: (row) => on(row.joined_on) },
  { head: 'Left', width: 12, cell: (row) => on(row.left_on) },
];
const CHANGES: readonly Column<PackChange>[] = [
  { head: 'Moment', width: 24, cell: (row) => at(row.at) },
  { head: 'Person', width: 24, cell: (row) => row.person },
  { head: 'What', width: 80, cell: (row) => changeWords(row.kind, row.changes) },
  { head: 'By', width: 24, cell: (row) => row.by_whom },
];
/** An assignment with how it stood at the end, as the list of its course tells it; null of whoever was not on the roster then. */
interface AssignmentLine extends PackAssignment {
  stood: FinishedRow | null;
}
const ASSIGNMENTS: readonly Column<AssignmentLine>[] = [
  { head: 'Person', width: 24, cell: (row) => row.person },
  { head: 'Course', width: 28, cell: (row) => row.course },
  { head: 'Round', width: 8, cell: (row) => row.round },
  { head: 'Asked for by', width: 30, cell: (row) => row.reasons ?? (row.is_by_hand ? 'by hand' : null) },
  { head: 'Assigned', width: 24, cell: (row) => at(row.assigned_at) },
  { head: 'Due', width: 24, cell: ({ stood }) => stood && { at: stood.dueAt } },
  { head: 'State at the end', width: 14, cell: ({ stood }) => stood?.state ?? 'not on the roster' },
  {
    head: 'Finished',
    width: 24,
    cell: ({ stood }) => on(stood?.finishedOn ?? null) ?? (stood?.finishedAt ? { at: stood.finishedAt } : null),
  },
  { head: 'How, or why not', width: 60, cell: ({ stood }) => stood?.how ?? null },
  { head: 'Days late', width: 10, cell: ({ stood }) => stood?.lateDays ?? null },
  { head: 'Certificate', width: 14, cell: ({ stood }) => stood?.certificate ?? null },
  { head: 'Notices sent', width: 12, cell: (row) => row.told },
];
interface EventLine {
  at: Date;
  person: string;
  course: string;
  words: string;
  by: string | null;
}
const EVENTS: readonly Column<EventLine>[] = [
  { head: 'Moment', width: 24, cell: (row) => at(row.at) },
  { head: 'Person', width: 24, cell: (row) => row.person },
  { head: 'Course', width: 28, cell: (row) => row.course },
  { head: 'What', width: 80, cell: (row) => row.words },
  { head: 'By', width: 24, cell: (row) => row.by },
];
const HAND_WORDS = { skip: 'skipped', send: 'sent', restore: 'restored' } as const;
const NOTICES = (paths: ReadonlyMap<string, string>): readonly Column<PackNotice>[] => [
  { head: 'Moment', width: 24, cell: (row) => at(row.at) },
  { head: 'Kind', width: 14, cell: (row) => row.kind },
  { head: 'Step', width: 24, cell: (row) => row.step_name },
  { head: 'Course', width: 28, cell: (row) => row.course },
  { head: 'About', width: 24, cell: (row) => row.person },
  { head: 'To', width: 24, cell: (row) => row.recipient },
  { head: 'Outcome', width: 12, cell: (row) => row.state },
  { head: 'Reason', width: 18, cell: (row) => row.because },
  { head: 'In a sentence', width: 80, cell: (row) => row.sentence },
  { head: 'Sent', width: 24, cell: (row) => at(row.sent_at) },
  {
    head: 'By hand',
    width: 40,
    cell: ({ by_hand: hand }) => hand && `${HAND_WORDS[hand.what]} by ${hand.by}${hand.reason ? `: ${hand.reason}` : ''}`,
  },
  { head: 'Message', width: 40, cell: (row) => (row.message_id === null ? null : (paths.get(row.message_id) ?? null)) },
];
interface DeliveryLine extends PackDelivery {
  path: string | null;
  subject: string;
  files: string;
}
const DELIVERIES: readonly Column<DeliveryLine>[] = [
  { head: 'Message', width: 40, cell: (row) => row.path },
  { head: 'Subject', width: 40, cell: (row) => row.subject },
  { head: 'Attached', width: 30, cell: (row) => row.files },
  { head: 'By', width: 8, cell: (row) => row.channel },
  { head: 'Address', width: 30, cell: (row) => row.address },
  { head: 'Attempt', width: 8, cell: (row) => row.attempt },
  { head: 'Handed over', width: 24, cell: (row) => at(row.handed_at) },
  { head: 'Answered', width: 24, cell: (row) => at(row.answered_at) },
  { head: 'Answer', width: 12, cell: (row) => row.outcome },
  { head: 'In the server’s words', width: 40, cell: (row) => row.answer },
  { head: 'Reported', width: 12, cell: (row) => row.report },
];
const CERTIFICATES = (paths: ReadonlyMap<string, string>): readonly Column<PackCertificate>[] => [
  { head: 'Serial', width: 14, cell: (row) => row.serial },
  { head: 'Person', width: 24, cell: (row) => row.person_name },
  { head: 'Course', width: 28, cell: (row) => row.course_title },
  { head: 'Issued', width: 12, cell: (row) => on(row.issued_on) },
  { head: 'Holds until', width: 12, cell: (row) => on(row.expires_on) },
  { head: 'Issued by', width: 24, cell: (row) => row.issuer ?? row.issued_by },
  { head: 'Their number', width: 18, cell: (row) => row.their_number },
  { head: 'Revoked', width: 24, cell: (row) => at(row.revoked_at) },
  { head: 'Revoked by', width: 24, cell: (row) => row.revoked_by },
  { head: 'Why revoked', width: 40, cell: (row) => row.revoked_reason },
  { head: 'Replaced', width: 24, cell: (row) => at(row.replaced_at) },
  { head: 'File', width: 40, cell: (row) => paths.get(row.id) ?? null },
];
const SIGN_OFFS: readonly Column<PackSignOff>[] = [
  { head: 'Person', width: 24, cell: (row) => row.person },
  { head: 'Course', width: 28, cell: (row) => row.course },
  { head: 'Sign-off', width: 28, cell: (row) => row.unit },
  { head: 'Day', width: 12, cell: (row) => on(row.on_date) },
  { head: 'Outcome', width: 12, cell: (row) => OUTCOME_WORDS[row.outcome] },
  { head: 'By', width: 24, cell: (row) => `${row.by_whom}, ${row.because}` },
  { head: 'Recorded', width: 24, cell: (row) => at(row.at) },
  { head: 'Place', width: 20, cell: (row) => row.place },
  { head: 'Remarks', width: 40, cell: (row) => row.remarks },
  { head: 'Corrected', width: 24, cell: (row) => at(row.corrected_at) },
  { head: 'Corrected by', width: 24, cell: (row) => row.corrected_by },
  { head: 'Why corrected', width: 40, cell: (row) => row.corrected_reason },
];
const ACTS: readonly Column<PackAct>[] = [
  { head: 'Moment', width: 24, cell: (row) => at(row.at) },
  { head: 'By', width: 24, cell: (row) => row.by_whom },
  { head: 'What', width: 60, cell: (row) => row.words },
  { head: 'Reason', width: 60, cell: (row) => row.reason },
  { head: 'Of these people', width: 60, cell: (row) => row.people },
  { head: 'Undone', width: 24, cell: (row) => at(row.undone_at) },
  { head: 'Undone by', width: 24, cell: (row) => row.undone_by },
];

const HOLDS: readonly Column<HoldRow>[] = [
  { head: 'Since', width: 24, cell: (row) => at(row.made_at) },
  { head: 'By', width: 24, cell: (row) => row.made_by },
  { head: 'What was held', width: 60, cell: (row) => headOfHold({ scope: row.scope, name: row.name }) },
  { head: 'Until', width: 24, cell: (row) => row.until_on },
  { head: 'Reason', width: 60, cell: (row) => row.reason },
  { head: 'Ended', width: 24, cell: (row) => at(row.ended_at) },
  { head: 'Ended by', width: 24, cell: (row) => row.ended_by },
  { head: 'What waited', width: 24, cell: (row) => (row.ended_how === null ? null : ENDED[row.ended_how]) },
];
const ENDED: Readonly<Record<NonNullable<HoldRow['ended_how']>, string>> = {
  send: 'was sent',
  'let-pass': 'was let pass',
  changed: 'was held on by another',
  passed: 'was sent, as its day came',
};

/** A requirement's rules in words as they were at a moment, and since when; null where nobody kept them. */
export function rulesAt({ events, was_changed }: Pick<PackRequirement, 'events' | 'was_changed'>, now: readonly string[]): readonly string[] | null {
  const kept = events.findLast(({ rules }) => rules !== null)?.rules;
  if (kept) return kept;
  // never changed: as they are now
  return was_changed ? null : now;
} // prettier-ignore

/** Writes a pack while its facts are read, all of one moment; and keeps that it was made. */
class PackWriter {
  private readonly db: Client;
  private readonly pack: PackFile;
  private readonly made: Made;
  private readonly contents: { path: string; words: string }[] = [];
  private readonly astray: string[] = [];
  private acts: PackAct[] = [];
  private sealed = 0;
  private waiting = 0;
  private done = 0;

  constructor(
    private readonly deps: Deps,
    private readonly request: PackRequest,
    private readonly byWhom: string,
    private readonly scope: Scope,
    private readonly counts: PackCounts,
    private readonly work: Work,
    client: Client,
    out: Writable,
  ) {
    this.db = client;
    const now = deps.clock.now();
    this.made = { house: scope.house.organisation, zone: scope.zone, zoneWords: zoneWords(scope.house.zone), now };
    this.pack = new PackFile(out, new Date(now));
  }

  private people: ReadonlyMap<string, string> | null = null;
  /** Whose an assignment is. */
  private get personOf(): ReadonlyMap<string, string> {
    return (this.people ??= new Map(this.scope.rows.map((row) => [row.id, row.person_id])));
  }

  private get ids(): string[] {
    return idsOf(this.scope.rows);
  }

  private async step(done: number): Promise<void> {
    this.done += done;
    const { certificates, messages, signOffs } = this.counts;
    const total = this.scope.rows.length + certificates + (this.request.withMessages ? messages : 0) + signOffs + 1;
    await this.work.at(Math.min(this.done, total), total);
  }

  /** A table of facts, as CSV. */
  private async table<Row>(name: string, words: string, columns: readonly Column<Row>[], parts: AsyncIterable<readonly Row[]>): Promise<void> {
    const path = `facts/${name}.csv`;
    let count = 0;
    const counted = async function* (): AsyncGenerator<readonly Row[]> {
      for await (const part of parts) {
        count += part.length;
        yield part;
      }
    };
    await this.pack.add(path, (out) => writeTable('csv', out, { title: name, about: [], columns, parts: counted(), total: null }, this.made));
    this.contents.push({ path, words: `${words}: ${count === 0 ? 'none' : count.toLocaleString('en')}` });
  } // prettier-ignore

  async write(): Promise<{ manifest: Buffer; files: number; bytes: number }> {
    try {
      await this.step(0);
      this.acts = await this.listActs();
      const messages = await this.writeMessages();
      const certificates = await this.writeCertificates();
      await this.writeSignOffs();
      await this.writeFacts(messages, certificates);
      await this.writeRules();
      await this.writeRecord();
      return await this.close();
    } catch (error) {
      this.pack.break(error as Error);
      throw error;
    }
  }

  /** Each message as it was read. @returns where each is */
  private async writeMessages(): Promise<Map<string, string>> {
    const { span, zone, house } = this.scope;
    const ids = new Set<string>();
    for await (const part of inParts(this.ids, (some) => listMessageIds(this.db, some, span.until))) for (const id of part) ids.add(id);
    const paths = new Map<string, string>();
    const deliveries: DeliveryLine[] = [];
    const list = [...ids];
    for (let from = 0; from < list.length; from += 100) {
      const some = await listSentMessages(this.db, list.slice(from, from + 100));
      const of = new Map(some.map((row) => [row.id, row]));
      for (const row of some) {
        if (!this.request.withMessages) continue;
        const local = zone.toLocal(row.composed_at.getTime());
        const name = `${dateOf(local.day)} ${tellTime(row.composed_at.getTime(), zone).replace(':', '')} ${row.to_name}, ${row.subject}`;
        const path = this.pack.pathFor('messages/', name, 'eml');
        await this.pack.addBytes(path, await emlOf(row.composed_at, asSent(row, house)));
        paths.set(row.id, path);
      }
      for (const row of await listDeliveries(this.db, idsOf(some))) {
        const { subject, files } = of.get(row.message_id)!;
        deliveries.push({ ...row, subject, path: paths.get(row.message_id) ?? null, files: ((files ?? []) as { name?: string }[]).map(({ name }) => name ?? 'a file').join(', ') }); // prettier-ignore
      }
      if (this.request.withMessages) await this.step(some.length);
    }
    if (paths.size > 0) this.contents.push({ path: 'messages/', words: `each message as it was read, with personal links left out: ${paths.size.toLocaleString('en')}` }); // prettier-ignore
    await this.table('deliveries', 'what mail servers answered to each attempt', DELIVERIES, only(deliveries));
    return paths;
  }

  private async writeCertificates(): Promise<Map<string, string>> {
    const paths = new Map<string, string>();
    for await (const part of inParts(this.ids, (some) => listPackCertificates(this.db, some, this.scope.span.until)))
      for (const row of part) {
        const name = `${row.person_name}, ${row.course_title}, ${row.serial}`;
        if (row.issuer === null) {
          // one that was never asked for is made, and kept
          const pdf = await certificatePdf(this.deps.db, row.serial, this.deps.settings.baseUrl);
          if (pdf) {
            const path = this.pack.pathFor('certificates/', name, 'pdf');
            await this.pack.addBytes(path, pdf);
            paths.set(row.id, path);
          }
        } else if (row.proof_id !== null) {
          const file = await findFile(this.db, row.proof_id, ['proof']);
          if (file) {
            const ending = /\.([a-z0-9]{1,6})$/i.exec(file.name)?.[1] ?? 'bin';
            const path = this.pack.pathFor('certificates/', `${name}, of ${row.issuer}`, ending);
            await this.pack.addBytes(path, file.content);
            paths.set(row.id, path);
          }
        }
        await this.step(1);
      }
    if (paths.size > 0) this.contents.push({ path: 'certificates/', words: `certificates, and what others issued: ${paths.size.toLocaleString('en')}` }); // prettier-ignore
    return paths;
  }

  private async writeSignOffs(): Promise<void> {
    const seen = new Set<string>();
    for await (const part of inParts(this.ids, (some) => listPackSignOffs(this.db, some, this.scope.span.until)))
      for (const row of part) {
        const key = `${row.assignment_id}/${row.unit_id}`;
        if (seen.has(key)) continue;
        seen.add(key);
        const { content } = await signOffDocument(this.db, row.assignment_id, row.unit_id);
        await this.pack.addBytes(this.pack.pathFor('sign-offs/', `${row.person}, ${row.course}, ${row.unit}`, 'pdf'), content);
        await this.step(1);
      }
    if (seen.size > 0)
      this.contents.push({ path: 'sign-offs/', words: `records of practical sign-offs: ${seen.size.toLocaleString('en')}` });
  }

  private async writeFacts(messages: ReadonlyMap<string, string>, certificates: ReadonlyMap<string, string>): Promise<void> {
    const { db, ids } = this;
    const { people, span } = this.scope;
    const { until } = span;
    const { now } = this.made;
    const parts = <T>(read: (some: string[]) => Promise<T[]>): AsyncGenerator<T[]> => inParts(ids, read);
    await this.table(
      'people',
      'who they are, as the roster has them now',
      PEOPLE,
      inParts(people, (some) => listPackPeople(db, some)),
    );
    await this.table('changes of people', 'what changed of them, when and by whom', CHANGES, inParts(people, (some) => listPackChanges(db, some, until))); // prettier-ignore
    const step = (count: number): Promise<void> => this.step(count);
    await this.table('assignments', 'who was asked for what, and how it stood at the end', ASSIGNMENTS, parts(async (some) => {
      await step(some.length);
      return this.assignments(some);
    })); // prettier-ignore
    const names = new Map<string, string>();
    for await (const part of inParts(people, (some) => listPackPeople(db, some))) for (const { id, name } of part) names.set(id, name);
    await this.table('events', 'what happened, as it was recorded', EVENTS, parts(async (some) =>
      (await listEventsOf(db, some, until)).flatMap((row): EventLine[] => {
        const told = eventWords(row, now);
        return told ? [{ at: row.at, person: names.get(this.personOf.get(row.assignment_id)!) ?? '', course: row.title, words: told.words, by: row.by_whom }] : [];
      }),
    )); // prettier-ignore
    await this.table(
      'notices',
      'every notice: sent, or why not',
      NOTICES(messages),
      parts((some) => listPackNotices(db, some, until)),
    );
    await this.table('acts by hand', 'what somebody did by hand, with the reason', ACTS, only(this.acts));
    const courses = [...new Set(this.scope.rows.map((row) => row.course_id))];
    await this.table('holds', 'when messages were held, by whom and why', HOLDS, only(await listHoldsOver(db, people, courses, span)));
    await this.table('certificates', 'what was issued, revoked, replaced', CERTIFICATES(certificates), parts((some) => listPackCertificates(db, some, until))); // prettier-ignore
    await this.table(
      'sign-offs',
      'practical sign-offs',
      SIGN_OFFS,
      parts((some) => listPackSignOffs(db, some, until)),
    );
    await this.writeLists();
  }

  private async assignments(ids: readonly string[]): Promise<AssignmentLine[]> {
    const { db, made } = this;
    const { zone, span, lastDay, isPast } = this.scope;
    const end = isPast ? atOf({ on: lastDay, known: 'now' }, made.now, zone) : atNow(made.now, zone);
    const which = ids.map((id) => ({ id, person_id: this.personOf.get(id)! }));
    const stood = await finishedRows(db, await reportRowsOf(db, which, end), end, zone);
    const of = new Map(stood.map((row) => [row.assignmentId, row]));
    return (await listPackAssignments(db, ids, span.until)).map((row) => ({ ...row, stood: of.get(row.id) ?? null }));
  }

  private async listActs(): Promise<PackAct[]> {
    const found = new Map<string, PackAct>();
    for await (const part of inParts(this.ids, (some) => listPackActs(this.db, some, this.scope.span.until)))
      for (const act of part) {
        const before = found.get(act.id);
        found.set(act.id, before ? { ...act, people: `${before.people}, ${act.people}` } : act);
      }
    return [...found.values()];
  }

  /** Of a course, the two lists that its pages show. */
  private async writeLists(): Promise<void> {
    const { of } = this.request;
    if (of.kind !== 'course') return;
    const { isPast, lastDay } = this.scope;
    for (const known of isPast ? (['then', 'now'] as const) : (['then'] as const))
      for (const report of ['finished', 'notified'] as const) {
        const asked = { page: 0, size: 50, known, who: 'all', ...(isPast ? { on: lastDay } : {}) } as const;
        const ready = await fileOf(this.deps, { kind: 'csv', of: report === 'finished' ? { report, course: of.id, ...asked } : { report, course: of.id, ...asked } }); // prettier-ignore
        const as = isPast ? (known === 'then' ? ', as it was known then' : ', as is known now') : '';
        const path = `facts/${report === 'finished' ? 'who finished' : 'who was notified'}${as}.csv`;
        await this.pack.add(path, (out) => ready.write(out, AT_ONCE));
        this.contents.push({ path, words: `${report === 'finished' ? 'who finished and how, or why not' : 'who was notified, and who was not and why'}${as}: ${ready.total.toLocaleString('en')}` }); // prettier-ignore
      }
  }

  /** The rules in words, as they were in force: of each course the versions of its plan, of each requirement what it said and what became of it. */
  private async writeRules(): Promise<void> {
    const { db, made } = this;
    const { span, zone, rows, house } = this.scope;
    const { of } = this.request;
    const moment = (date: Date): string => `${tellDate(zone.dayAt(date.getTime()))}, ${tellTime(date.getTime(), zone)} (${made.zoneWords})`;
    const courses = [...new Set([...rows.map((row) => row.course_id), ...(of.kind === 'course' ? [of.id] : [])])];
    const named = of.kind === 'requirement' ? [of.id] : [];
    const requirements = new Map<string, PackRequirement>();
    for await (const part of inParts(this.ids.length > 0 ? this.ids : ['0'], (some) => listPackRequirements(db, some, span.until, named)))
      for (const row of part) requirements.set(row.id, row);
    let count = 0;
    const versions = await listPackVersions(db, courses, span);
    const names = await this.namesFor(courses, versions.map(({ steps }) => steps)); // prettier-ignore
    for (const courseId of new Set(versions.map((row) => row.course_id))) {
      const mine = versions.filter((row) => row.course_id === courseId);
      const text = mine.map((version) => {
        const steps = tellSteps(version.steps as PlanStep[], names);
        return [
          `Version ${version.version} of the plan${version.follows ? ` of “${version.follows}”, which this course goes by` : ''}`,
          `In force from ${moment(version.published_at)} ${version.next_at ? `to ${moment(version.next_at)}` : 'on'}; published by ${version.published_by ?? 'Nudrik'}${version.note ? `: ${version.note}` : ''}`,
          '',
          ...Object.entries(steps).flatMap(([name, words]) => [name, ...words.split('\n').map((line) => `  ${line}`), '']),
        ].join('\n');
      });
      const title = mine[0]!.course;
      await this.pack.addBytes(
        this.pack.pathFor('rules/', `Plan of ${title}`, 'txt'),
        `${title}\n${house.organisation}\n\n${text.join('\n\n')}`,
      );
      count += 1;
    }
    for (const row of requirements.values()) {
      const current = await findRequirementRow(db, row.id);
      const rules = rulesAt(row, current ? await tellRules(db, current) : []);
      const text = [
        `Requirement “${row.name}”, of ${row.course}`,
        house.organisation,
        '',
        ...(rules ?? ['What it said at that time was not kept in words; what became of it is below.']),
        '',
        'What became of it',
        ...row.events.flatMap(({ at: when, byWhom, words, rules: then }) => [`${moment(new Date(when))}, ${byWhom}: ${words}`, ...(then ?? []).map((line) => `    ${line}`)]),
      ].join('\n'); // prettier-ignore
      await this.pack.addBytes(this.pack.pathFor('rules/', `Requirement ${row.name}`, 'txt'), `${text}\n`);
      count += 1;
    }
    if (count > 0)
      this.contents.push({ path: 'rules/', words: `the rules in words, as they were in force: ${count.toLocaleString('en')}` });
  }

  /** What ids in plans are called. */
  private async namesFor(courses: readonly string[], plans: readonly (readonly object[])[]): Promise<Names> {
    const base = await loadNames(this.db, []);
    const units = new Map((await listUnitNames(this.db, courses)).map(({ id, title }) => [id, `“${title}”`]));
    const named = new Set(JSON.stringify(plans).match(/(?<="(?:person|people|line)[^\d]{1,6})\d{1,18}/g) ?? []);
    const people = new Map((await listNamesOf(this.db, [...named])).map(({ id, name }) => [id, name]));
    const steps = new Map(plans.flatMap((list) => (list as { id: string; name: string }[]).map(({ id, name }) => [id, name] as const)));
    return {
      ...base,
      person: (id) => people.get(id) ?? 'somebody',
      unit: (id) => units.get(id) ?? 'a unit that is gone',
      step: (id) => steps.get(id) ?? id,
    };
  }

  /** What was sealed, as it stands now, with its seals: whoever has a pack can hold the house to it. */
  private async writeRecord(): Promise<void> {
    const { db, ids } = this;
    const { until } = this.scope.span;
    const kinds: [Sealed, (some: string[]) => Promise<string[]>][] = [
      ['event', (some) => listEventIds(db, some, until)],
      ['certificate', async (some) => idsOf(await listPackCertificates(db, some, until))],
      ['sign-off', async (some) => idsOf(await listPackSignOffs(db, some, until))],
      ['message', (some) => listMessageIds(db, some, until)],
    ];
    const seen = new Set<string>();
    const line = async (out: Writable, kind: Sealed, list: readonly string[]): Promise<void> => {
      for (let from = 0; from < list.length; from += PART)
        for (const row of await listSaid(db, kind, list.slice(from, from + PART))) {
          if (seen.has(`${kind}/${row.id}`)) continue;
          seen.add(`${kind}/${row.id}`);
          this.sealed += 1;
          if (row.seal === null) this.waiting += 1;
          else if (!row.seal.equals(row.hash)) this.astray.push(`${kind} ${row.id}, written on ${tellDate(dayOf(row.day!))}`);
          // what a message says has personal links in it: its hash stands for it
          const says = kind === 'message' ? null : row.says;
          if (!out.write(`${JSON.stringify({ kind, id: row.id, day: row.day, seal: row.seal?.toString('hex') ?? null, says })}\n`)) await once(out, 'drain');
        }
    }; // prettier-ignore
    await this.pack.add(RECORD, async (out) => {
      for (const [kind, read] of kinds)
        for await (const list of inParts(ids, read)) {
          await line(out, kind, list);
          if (kind !== 'message') continue;
          const deliveries = await listDeliveries(db, list);
          await line(out, 'answer', idsOf(deliveries.filter(({ outcome }) => outcome !== null)));
          await line(out, 'report', idsOf(deliveries.filter(({ report }) => report !== null)));
        }
      await line(out, 'act', idsOf(this.acts));
      out.end();
    });
    this.contents.push({ path: RECORD, words: `what was sealed, word for word, with its seals: ${this.sealed.toLocaleString('en')}` });
  }

  private async close(): Promise<{ manifest: Buffer; files: number; bytes: number }> {
    const { deps, scope, made, pack } = this;
    const key = signingKey(deps.settings.key, 'evidence');
    const [head] = await listSealDays(this.db, null, 1);
    const blocks = await this.index(await printOf(key.open), head ? { day: head.day, head: head.head.toString('hex') } : null);
    await pack.addBytes('index.html', indexHtml(`Evidence: ${scope.title}`, blocks));
    await pack.addBytes('index.pdf', await indexPdf(`Evidence: ${scope.title}`, made.house, made.now, blocks));
    const told: Manifest = {
      format: 'nudrik-evidence',
      version: 1,
      house: made.house,
      title: scope.title,
      when: scope.when,
      madeAt: tellMoment(made.now, made.zone, 0),
      madeBy: this.byWhom,
      head: head ? { day: head.day, head: head.head.toString('hex') } : null,
      files: pack.files.map((file) => ({ ...file })),
    };
    const files = told.files.length;
    const manifest = writeManifest(told);
    await pack.addBytes(MANIFEST, manifest);
    await pack.addBytes(SIGNATURE, await signManifest(manifest, key));
    await pack.end();
    return { manifest, files, bytes: pack.bytes };
  }

  /** What somebody reads first. */
  private async index(key: string, head: { day: string; head: string } | null): Promise<IndexBlock[]> {
    const { scope, made, counts } = this;
    const { zone, span } = scope;
    const stands =
      this.astray.length > 0
        ? `${tellAmount(this.astray.length, 'entries')} of ${this.sealed.toLocaleString('en')} ${this.astray.length === 1 ? 'does' : 'do'} not stand as sealed: ${this.astray.slice(0, 20).join('; ')}${this.astray.length > 20 ? '; …' : ''}`
        : `All ${tellAmount(this.sealed, 'entries')} stand as they were sealed${this.waiting > 0 ? `; ${this.waiting.toLocaleString('en')} of the last seconds wait for their seal` : ''}`;
    const blocks: IndexBlock[] = [
      { kind: 'small', text: made.house },
      { kind: 'title', text: `Evidence: ${scope.title}` },
      { kind: 'facts', facts: [
        ['Of when', scope.when],
        ['Days and moments in', made.zoneWords],
        ['Made', `${tellMoment(made.now, zone, 0)}, by ${this.byWhom}`],
        ['The record', stands],
        ...(head ? [['Head of the seals', `${head.head}, of ${tellDate(dayOf(head.day))}`] as [string, string]] : []),
        ['Signed with the key', key],
      ] },
      { kind: 'rule' },
      { kind: 'head', text: 'What is in it' },
      { kind: 'facts', facts: [
        ['People', scope.people.length.toLocaleString('en')],
        ['Assignments', scope.rows.length.toLocaleString('en')],
        ['Notices', `${counts.notices.toLocaleString('en')}, in ${tellAmount(counts.messages, 'messages')}`],
        ['Certificates', counts.certificates.toLocaleString('en')],
        ['Sign-offs', counts.signOffs.toLocaleString('en')],
        ['Acts by hand', counts.acts.toLocaleString('en')],
      ] },
      { kind: 'files', files: this.contents },
      { kind: 'head', text: 'How to check it' },
      { kind: 'text', text: 'nudrik verify FILE holds each file of this pack against manifest.json (SHA-256) and that against its signature in manifest.jws (JWS, RFC 7515, its payload detached; EdDSA), without a network or a database. The signature shows who made it where its key is the one that the house shows on its page of evidence, or that you kept; the house also shows the hash of the manifest of each pack that it made.' },
    ]; // prettier-ignore
    if (scope.rows.length === 0 && scope.people.length === 0) return blocks;
    blocks.push({ kind: 'rule' });
    if (scope.people.length <= MOST_PEOPLE_TOLD && ['person', 'sample'].includes(this.request.of.kind)) {
      for (const person of await listPackPeople(this.db, scope.people)) {
        blocks.push({ kind: 'head', text: person.name }, { kind: 'text', text: [person.job, person.department, person.site, person.personnel_number && `number ${person.personnel_number}`].filter(Boolean).join(', ') }); // prettier-ignore
        const told = (await timelineOf(this.db, person.id, made.now)).filter(
          (entry) => Date.parse(entry.at) < span.until.getTime() && (span.from === null || Date.parse(entry.at) >= span.from.getTime()),
        );
        blocks.push({
          kind: 'facts',
          facts: told.map(({ at: when, words, byWhom, outcome, because }): [string, string] => [
            tellMoment(Date.parse(when), zone, 0),
            `${words}${outcome ? `: ${outcome}${because ? `, ${because}` : ''}` : ''}${byWhom ? ` (${byWhom})` : ''}`,
          ]),
        });
        if (told.length === 0) blocks.push({ kind: 'text', text: 'Nothing is on the record of that time.' });
      }
      return blocks;
    }
    if (scope.rows.length > MOST_ASSIGNMENTS_TOLD) {
      blocks.push({ kind: 'text', text: `Of its ${tellAmount(scope.rows.length, 'assignments')} each stands in facts/assignments.csv.` });
      return blocks;
    }
    blocks.push({ kind: 'head', text: 'Who was asked, and how it stood at the end' });
    for await (const part of inParts(this.ids, (some) => this.assignments(some)))
      blocks.push({
        kind: 'facts',
        facts: part.map(({ person, course, told, stood }): [string, string] => [
          person,
          `${course}: ${stood ? `${stood.state}, due ${tellDate(zone.dayAt(Date.parse(stood.dueAt)))}; ${stood.how}` : 'not on the roster'}; told ${told === 0 ? 'by nothing' : tellAmount(told, 'times')}${stood?.certificate ? `; certificate ${stood.certificate}` : ''}`,
        ]),
      });
    return blocks;
  }
}

async function* only<T>(list: readonly T[]): AsyncGenerator<readonly T[]> {
  yield await Promise.resolve(list);
}

/** Makes a pack, as long work: its facts are read in one look, and it is on the record that it was made. */
export async function makePack(deps: Deps, request: PackRequest, byWhom: string, work: Work): Promise<PackMade> {
  const made = await transaction(deps.db, async (client) => {
    // a look at all of it as it stands at this moment, whatever is written meanwhile
    await lookAtOnce(client);
    await restLong(client);
    const scope = await scopeOf(deps, client, request);
    const counts = await countInPack(client, idsOf(scope.rows), scope.span.until);
    const fault = faultOf(scope, counts, request.withMessages);
    if (fault) throw new Refused('wrong-input', `${fault} Nothing was made.`);
    const name = `Evidence, ${scope.title}, ${scope.lastDay}`.replace(/[\\/:*?"<>|\p{C}]+/gu, ' ').slice(0, 120);
    let written: { manifest: Buffer; files: number; bytes: number } | null = null;
    const href = await work.keepWritten({ name: `${name}.zip`, type: 'application/zip' }, async (out) => {
      written = await new PackWriter(deps, request, byWhom, scope, counts, work, client, out).write();
    });
    const { manifest, files, bytes } = written!;
    return { scope, manifest, answer: { href, name: `${name}.zip`, manifest: hashOf(manifest), files, bytes } };
  });
  const { scope, manifest, answer } = made;
  await transaction(deps.db, async (client) => {
    await insertPack(client, { at: deps.clock.now(), byWhom, title: scope.title, when: scope.when, request, files: answer.files, bytes: answer.bytes, manifest: Buffer.from(hashOf(manifest), 'hex'), job: /jobs\/(\d+)/.exec(answer.href)?.[1] ?? null }); // prettier-ignore
    await work.finish(client, answer);
  });
  return answer;
}
