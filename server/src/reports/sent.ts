import type { z } from 'zod';
import type {
  ReportLetters,
  ReportLettersQuery,
  OwnReport,
  ReportRequest,
  SentOf,
  SentReportDraft,
  SentReportsView,
} from '@nudrik/contract';
import {
  dayOf,
  FIGURE_WORDS,
  nextOf,
  tellAmount,
  tellBytes,
  tellDate,
  tellFilters,
  tellMoment,
  tellRhythm,
  Zone,
  zoneWords,
} from '@nudrik/core';
import { insertOutbox } from '../conversations/outbox.repo.ts';
import { newId } from '../conversations/outbox.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import { restLong } from '../db/cursor.ts';
import { isPassing } from '../db/failures.ts';
import type { Deps } from '../deps.ts';
import { findFileHead, openFileFor } from '../files/files.repo.ts';
import { listStanding } from '../holding/holding.repo.ts';
import { getHouse, type House } from '../house/house.ts';
import { htmlOf } from '../messages/post.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { OFFICE } from '../route.ts';
import { listSealDays } from '../seals/seals.repo.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { courseTitle } from './course-report.ts';
import { fileOf } from './files.ts';
import {
  deleteSentReport,
  findLetter,
  findSentReport,
  hasNamesake,
  insertLetter,
  insertSentReport,
  listDue,
  listLast,
  listLetters,
  listReaders,
  listReadersOf,
  listSentReports,
  lockSentReport,
  putReaders,
  setNext,
  setOutbox,
  updateSentReport,
  type LetterRow,
  type ReaderRow,
  type SentReportRow,
} from './sent.repo.ts';

/** What goes attached to a mail; more goes by link, to whoever signs in. */
const MOST_ATTACHED = 5_000_000;
/** Days whose heads are told in one mail. */
const MOST_HEADS = 31;

const rhythmOf = ({ every, on_day, at_time }: Pick<SentReportRow, 'every' | 'on_day' | 'at_time'>) => ({ every, on: on_day, at: at_time });

/** What a report is, in words, with its filters. */
async function tellOf(db: Queryable, of: SentOf): Promise<string> {
  // a course is named by the report that is of it
  const filters = tellFilters(of, 'course' in of && !['matrix', 'figure'].includes(of.report) ? ['course'] : []);
  return `${await tellKind(db, of)}${filters === '' ? '' : ` (${filters})`}`;
}

async function tellKind(db: Queryable, of: SentOf): Promise<string> {
  const title = async (id: string): Promise<string> => courseTitle(db, id).then(({ title: words }) => words, () => 'a course that is gone');
  switch (of.report) {
    case 'seals':
      return 'Heads of the seals';
    case 'course':
      return `Everybody who was asked, ${await title(of.course)}`;
    case 'notified':
      return `Who was notified, ${await title(of.course)}`;
    case 'finished':
      return `Who finished, ${await title(of.course)}`;
    case 'figure':
      return FIGURE_WORDS[of.name].title;
    case 'matrix':
      return 'Matrix';
  }
} // prettier-ignore

/** What somebody may see of a report: all of it, their own people of it, or nothing, and why. */
function scopeFor(of: SentOf, reader: Pick<ReaderRow, 'name' | 'role' | 'person_id' | 'is_here'>): { of: SentOf } | { because: string } {
  if (!reader.is_here) return { because: `${reader.name} has no account any more.` };
  if (OFFICE.includes(reader.role)) return { of };
  if (reader.role === 'manager' && reader.person_id !== null && of.report === 'matrix') return { of: { ...of, manager: reader.person_id } };
  return { because: `${reader.name} may not see it: their role is ${reader.role}${reader.role === 'manager' ? ', and managers get the matrix of their people' : ''}.` };
} // prettier-ignore

/** What is sent by itself, to whom, and what became of it the last time. */
export async function sentReportsView(deps: Deps): Promise<SentReportsView> {
  const { db } = deps;
  const today = await houseToday(deps);
  const readers = await listReadersOf(db, today, null);
  const last = await listLast(db);
  const reports = await listSentReports(db);
  return {
    readers: await listReaders(db, today),
    reports: await Promise.all(
      reports.map(async (row) => ({
        id: row.id,
        name: row.name,
        of: row.of,
        kind: row.kind,
        rhythm: rhythmOf(row),
        words: `${await tellOf(db, row.of)}, ${tellRhythm(rhythmOf(row))}`,
        to: readers
          .filter(({ report_id }) => report_id === row.id)
          .map((reader) => {
            const scope = scopeFor(row.of, reader);
            return { id: reader.id, name: reader.name, role: reader.role, fault: 'because' in scope ? scope.because : null };
          }),
        isOn: row.is_on,
        nextAt: row.next_at?.toISOString() ?? null,
        version: row.version,
        madeBy: row.made_by,
        changedBy: row.changed_by,
        changedAt: row.changed_at.toISOString(),
        last: last.get(row.id) ?? null,
      })),
    ),
  };
}

/** What is wrong with a report that somebody wants sent, before anything is kept. */
async function checked(deps: Deps, client: Client, draft: SentReportDraft, id: string | null): Promise<number | null> {
  if (await hasNamesake(client, draft.name, id))
    throw new Refused('conflict', `Another report is called “${draft.name}” already. Nothing was changed.`);
  if (draft.of.report !== 'seals') {
    if ('course' in draft.of && draft.of.course !== undefined) await courseTitle(client, draft.of.course);
  }
  const readers = await listReaders(client, await houseToday(deps));
  for (const account of draft.to) {
    const reader = readers.find((one) => one.id === account);
    if (!reader) throw new Refused('wrong-input', `Account ${account} gets no reports: expected one of those that may read them. Nothing was changed.`);
    const scope = scopeFor(draft.of, { ...reader, person_id: '0', is_here: true });
    if ('because' in scope) throw new Refused('wrong-input', `${scope.because} Nothing was changed.`);
  }
  const { zone } = await getHouse(client);
  return draft.isOn ? nextOf(draft.rhythm, deps.clock.now(), Zone.of(zone)) : null;
} // prettier-ignore

export function addSentReport(deps: Deps, draft: SentReportDraft, byWhom: string): Promise<{ id: string }> {
  return transaction(deps.db, async (client) => {
    const next = await checked(deps, client, draft, null);
    const id = await insertSentReport(client, draft, next, byWhom, deps.clock.now());
    await putReaders(client, id, draft.to);
    await announce(client, 'reports');
    return { id };
  });
}

export function changeSentReport(deps: Deps, id: string, draft: SentReportDraft, byWhom: string): Promise<void> {
  return transaction(deps.db, async (client) => {
    const row = await lockSentReport(client, id);
    if (!row) throw new Refused('not-found', 'There is no such report, or not any more.');
    if (draft.version !== undefined && draft.version !== row.version)
      throw new Refused('stale', `${row.changed_by} changed “${row.name}” in the meantime. Load it again; nothing was changed.`);
    const next = await checked(deps, client, draft, id);
    await updateSentReport(client, id, draft, next, byWhom, deps.clock.now());
    await putReaders(client, id, draft.to);
    await announce(client, 'reports');
  });
}

export function removeSentReport(deps: Deps, id: string): Promise<void> {
  return transaction(deps.db, async (client) => {
    if (!(await lockSentReport(client, id))) throw new Refused('not-found', 'There is no such report, or not any more.');
    await deleteSentReport(client, id);
    await announce(client, 'reports');
  });
}

interface Made {
  what: string;
  lines: string[];
  file: { id: string; name: string; bytes: number } | null;
}

/** Heads of the days since the last mail, in words that are kept by being read. */
async function makeHeads(db: Queryable): Promise<Made> {
  const days = await listSealDays(db, null, MOST_HEADS);
  const lines = days.map(({ day, count, head }) => `${tellDate(dayOf(day))}, ${tellAmount(count, 'entries')}\n${head.toString('hex')}`);
  return {
    what: 'Heads of the seals',
    lines: [
      days.length === 0 ? 'Nothing was sealed yet.' : 'The head of a day stands for everything that was written up to that day. Keep this mail: nudrik verify DAY HEAD shows later that none of it was changed.',
      ...lines,
    ],
    file: null,
  };
} // prettier-ignore

async function make(deps: Deps, client: Client, of: SentOf, kind: SentReportRow['kind']): Promise<Made> {
  if (of.report === 'seals') return makeHeads(client);
  const ready = await fileOf(deps, { kind, of: of as ReportRequest });
  const { id, out } = await openFileFor(client, ready, 'report');
  let fault: Error | null = null;
  const ended = new Promise<void>((resolve, reject) => {
    out.once('finish', resolve);
    out.once('error', reject);
  });
  await Promise.all([ready.write(out, AT_ONCE), ended]).catch((error: unknown) => (fault = error as Error));
  if (fault) throw fault as Error;
  const head = await findFileHead(client, id, ['report']);
  return {
    what: ready.name.replace(/\.\w+$/, ''),
    lines: [`${ready.total === 0 ? 'No row' : tellAmount(ready.total, 'rows')} fit${ready.total <= 1 ? 's' : ''}.`],
    file: { id, name: ready.name, bytes: head!.size },
  };
}

/** The mail that a report goes with. @param letter where its file is, if that is too large for a mail */
function composed(deps: Deps, house: House, report: Pick<SentReportRow, 'name' | 'changed_by' | 'every' | 'on_day' | 'at_time'>, made: Made, reader: Pick<ReaderRow, 'role'>, letter: string | null): { subject: string; body: string } {
  const now = deps.clock.now();
  const zone = Zone.of(house.zone);
  const { baseUrl } = deps.settings;
  const where =
    made.file === null
      ? []
      : letter !== null
        ? [`It has ${tellBytes(made.file.bytes)} and is too large for a mail. Fetch it, signed in, within 30 days: ${baseUrl}/report/${letter}`]
        : [`It is attached as ${made.file.name}.`];
  const set = OFFICE.includes(reader.role) ? ` Who gets it, and when: ${baseUrl}/ledger/reports` : '';
  return {
    subject: `${report.name}, ${tellDate(zone.dayAt(now))}`,
    body: [
      `${made.what}, as of ${tellMoment(now, zone, 0)} (${zoneWords(house.zone)}).`,
      ...made.lines,
      ...where,
      `${house.organisation} sends “${report.name}” ${tellRhythm(rhythmOf(report))}, as ${report.changed_by} set it.${set}`,
    ].join('\n\n'),
  };
} // prettier-ignore

/** One report to those who get it, in the transaction that says so. @param dueAt what it is known by: twice at one moment it does not go */
async function sendIn(
  deps: Deps,
  client: Client,
  row: SentReportRow,
  readers: readonly ReaderRow[],
  dueAt: number,
  mostAttached = MOST_ATTACHED,
): Promise<void> {
  const house = await getHouse(client);
  const now = deps.clock.now();
  const made = new Map<string, Made | { because: string }>();
  for (const reader of readers) {
    const scope = scopeFor(row.of, reader);
    const letter = { report: row, dueAt, madeAt: now, reader };
    const nothing = { fileId: null, fileName: null, isLinked: false, outbox: null };
    if ('because' in scope) {
      await insertLetter(client, { ...letter, ...nothing, what: await tellOf(client, row.of), because: scope.because });
      continue;
    }
    const key = JSON.stringify(scope.of);
    let one = made.get(key);
    if (!one) {
      one = await make(deps, client, scope.of, row.kind).catch((error: unknown) => {
        if (!(error instanceof Refused)) throw error;
        return { because: `It could not be made: ${error.message}` };
      });
      made.set(key, one);
    }
    if ('because' in one) {
      await insertLetter(client, { ...letter, ...nothing, what: await tellOf(client, row.of), because: one.because });
      continue;
    }
    const isLinked = one.file !== null && one.file.bytes > mostAttached;
    const kept = {
      ...letter,
      what: one.what,
      because: null,
      fileId: one.file?.id ?? null,
      fileName: one.file?.name ?? null,
      isLinked,
      outbox: null,
    };
    const id = await insertLetter(client, kept);
    // it went to them at this moment already
    if (id === null) continue;
    const { subject, body } = composed(deps, house, row, one, reader, isLinked ? id : null);
    const outbox = await insertOutbox(client, {
      conversation: null,
      post: null,
      isAnswer: false,
      headerId: newId(house),
      fromName: house.senderName,
      toName: reader.name,
      toAddress: reader.email,
      replyTo: house.replyTo,
      subject,
      html: htmlOf(body),
      body,
      inReplyTo: null,
      refs: null,
      at: now,
      ...(one.file && !isLinked ? { files: [one.file.id] } : {}),
    });
    await setOutbox(client, id, outbox);
  }
}

/** Sends what is due: of what was missed while nothing ran, once. While everything is held it waits. @returns how many reports */
export async function sendDueReports(deps: Deps, mostAttached = MOST_ATTACHED): Promise<number> {
  const due = await listDue(deps.db, deps.clock.now());
  if (due.length === 0) return 0;
  if ((await listStanding(deps.db)).some(({ scope }) => scope === 'everything')) return 0;
  const today = await houseToday(deps);
  let sent = 0;
  for (const { id, next_at } of due)
    try {
      await transaction(deps.db, async (client) => {
        await restLong(client);
        const row = await lockSentReport(client, id);
        // somebody changed it, or sent it, meanwhile
        if (!row?.next_at || row.next_at.getTime() !== next_at.getTime()) return;
        await sendIn(deps, client, row, await listReadersOf(client, today, id), next_at.getTime(), mostAttached);
        await moveOn(deps, client, row);
        sent += 1;
      });
    } catch (error) {
      if (isPassing(error)) throw error;
      deps.log.error({ error: (error as Error).stack, report: id }, 'A report could not be sent.');
      await transaction(deps.db, (client) => tellBroken(deps, client, id, next_at, today));
    }
  await announce(deps.db, 'reports', 'work');
  return sent;
}

const moveOn = async (deps: Deps, client: Client, row: SentReportRow): Promise<void> => {
  const { zone } = await getHouse(client);
  await setNext(client, row.id, nextOf(rhythmOf(row), deps.clock.now(), Zone.of(zone)));
};

/** One that cannot be made for a reason of our own is not tried each second: it says so, and is tried at its next moment. */
async function tellBroken(deps: Deps, client: Client, id: string, dueAt: Date, today: string): Promise<void> {
  const row = await lockSentReport(client, id);
  if (!row || row.next_at?.getTime() !== dueAt.getTime()) return;
  for (const reader of await listReadersOf(client, today, id))
    await insertLetter(client, { report: row, dueAt: dueAt.getTime(), madeAt: deps.clock.now(), reader, what: await tellOf(client, row.of), because: 'Something went wrong with it on our side; it is tried again at its next moment.', fileId: null, fileName: null, isLinked: false, outbox: null }); // prettier-ignore
  await moveOn(deps, client, row);
}

/** Sends it now to one of those who get it, or to whoever asks: its own moment stays. */
export function sendNow(deps: Deps, id: string, account: { id: string; name: string; email: string; role: ReaderRow['role']; personId: string | null }): Promise<void> {
  return transaction(deps.db, async (client) => {
    const row = await findSentReport(client, id);
    if (!row) throw new Refused('not-found', 'There is no such report, or not any more.');
    const reader: ReaderRow = { report_id: id, id: account.id, name: account.name, email: account.email, role: account.role, person_id: account.personId, is_here: true };
    await sendIn(deps, client, row, [reader], deps.clock.now());
    await announce(client, 'reports', 'work');
  });
} // prettier-ignore

const PAGE = 100;
export async function lettersView({ db }: Deps, { report, before }: z.infer<typeof ReportLettersQuery>): Promise<ReportLetters> {
  const found = await listLetters(db, report ?? null, before ?? null);
  const page = found.slice(0, PAGE);
  return { rows: page, further: found.length > PAGE ? page.at(-1)!.id : null };
}

/** What went by link, for whom it went to and for administrators; as much as there is none for anybody else. */
async function ownLetter(db: Queryable, id: string, account: { id: string; role: string }): Promise<LetterRow> {
  const letter = await findLetter(db, id);
  if (!letter?.is_linked || (letter.account_id !== account.id && account.role !== 'administrator'))
    throw new Refused('not-found', 'There is no such file, or not for you.');
  return letter;
}

/** @throws Refused */
export async function letterView(db: Queryable, id: string, account: { id: string; role: string }): Promise<OwnReport> {
  const { report_name, what, made_at, file_id, file_name } = await ownLetter(db, id, account);
  return {
    report: report_name,
    what,
    at: made_at.toISOString(),
    file: file_name ?? '',
    href: file_id === null ? null : `/api/reports/letters/${id}/file`,
  };
}

/** The file of a letter. @throws Refused */
export async function letterFile(db: Queryable, id: string, account: { id: string; role: string }): Promise<{ id: string; name: string; type: string; size: number }> {
  const letter = await ownLetter(db, id, account);
  const file = letter.file_id === null ? null : await findFileHead(db, letter.file_id, ['report']);
  if (!file) throw new Refused('not-found', 'That file is not kept any more: reports are kept for 30 days. Take the report as a file from its page.');
  return file;
} // prettier-ignore
