import { createHash, timingSafeEqual } from 'node:crypto';
import { FILE_KINDS, MOST_FILE_BYTES, safeFileName, tellBytes, tellMoment, Zone, zoneWords } from '@nudrik/core';
import type { DownloadView, HandoutView } from '@nudrik/contract';
import { countTry } from '../access/sessions.ts';
import { addressOf, readLink, signedToken } from '../access/personal-link.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFileHead, knowFile, putFile, readBytes } from '../files/files.repo.ts';
import { lookAt } from '../files/look.ts';
import { getHouse } from '../house/house.ts';
import { sendHouseMail } from '../messages/post.ts';
import { Refused } from '../refusal.ts';
import {
  addRenewed,
  dropRenewed,
  endDownload,
  findDownload,
  insertHandout,
  listHandouts,
  listHandoutsOf,
  lockDownload,
  lockHandout,
  putHandoutFile,
  useDownload,
  type DownloadRow,
  type HandoutRow,
} from './handouts.repo.ts';

interface Upload {
  name: string;
  content: Buffer;
}

const NO_FILE = 'This link leads to no file. Open it from the message again, or reply to that.';
const viewOf = ({ id, name, bytes, version, put_at, put_by }: HandoutRow): HandoutView => ({ id, name, bytes, version, putAt: put_at.toISOString(), putBy: put_by }); // prettier-ignore

export const handoutList = async (db: Queryable, course: string): Promise<HandoutView[]> => (await listHandoutsOf(db, course)).map(viewOf);

/** Stores a file for messages once its content says what it is. @throws Refused */
async function storeFile(client: Client, { name, content }: Upload): Promise<string> {
  if (content.length > MOST_FILE_BYTES)
    throw new Refused('wrong-file', `${name}: the file has ${tellBytes(content.length)}; a file that goes with a message has ${tellBytes(MOST_FILE_BYTES)} at the most. Nothing was taken.`); // prettier-ignore
  const safe = safeFileName(name);
  const { id } = await putFile(client, { name: safe, type: 'application/octet-stream', content, purpose: 'handout' });
  const { type, about } = await lookAt(client, { id, name: safe, type: 'application/octet-stream', size: content.length });
  if (FILE_KINDS[type]?.as === 'package')
    throw new Refused('wrong-file', `${name}: a package is learned in a course, and does not go by mail. Nothing was taken.`);
  await knowFile(client, id, safe, type, about);
  return id;
}

/** Takes a file for the messages of a course. */
export async function addHandout({ db, clock }: Deps, course: string, upload: Upload, byWhom: string): Promise<HandoutView> {
  return transaction(db, async (client) => {
    const file = await storeFile(client, upload);
    const id = await insertHandout(client, course);
    await putHandoutFile(client, id, 1, file, { at: clock.now(), byWhom });
    return viewOf((await listHandouts(client, [id])).get(id)!);
  });
}

/** Puts another file in the place of one: whatever goes from now on has it, and so has whoever opens a download. */
export async function replaceHandout({ db, clock }: Deps, id: string, upload: Upload, byWhom: string): Promise<HandoutView> {
  return transaction(db, async (client) => {
    const found = await lockHandout(client, id);
    if (!found) throw new Refused('not-found', 'There is no such file, or not any more. Nothing was taken.');
    const file = await storeFile(client, upload);
    await putHandoutFile(client, id, found.version + 1, file, { at: clock.now(), byWhom });
    await announce(client, 'plans');
    return viewOf((await listHandouts(client, [id])).get(id)!);
  });
}

const digestOf = (holder: string): Buffer => createHash('sha256').update(holder).digest();

/** Why a download does not open, in a sentence; null where it does. @param holder what the device keeps; null where nobody asks to open it yet */
function whyClosed(row: DownloadRow, now: number, holder: Buffer | null): string | null {
  const zone = Zone.of(row.zone);
  if (row.until.getTime() <= now) return `This link ended ${tellMoment(row.until.getTime(), zone, now)}.`;
  if (row.times !== null && row.used >= row.times) return row.times === 1 ? 'This link was used; it opened once.' : `This link was used ${row.used} times, and opens no more.`; // prettier-ignore
  if (holder && row.holder && !timingSafeEqual(row.holder, holder)) return 'This link was opened first on another device, and opens on that one alone.'; // prettier-ignore
  return null;
}

const tokenIn = ({ settings }: Deps, link: string): string => {
  const { token } = readLink(settings.key, 'download', link);
  if (token === null) throw new Refused('wrong-link', NO_FILE);
  return token;
};

async function getDownload(deps: Deps, link: string): Promise<{ row: DownloadRow; file: HandoutRow }> {
  const row = await findDownload(deps.db, tokenIn(deps, link), deps.clock.now());
  const file = row && (await listHandouts(deps.db, [row.handout_id])).get(row.handout_id);
  // as every personal link does, it ends with leaving
  if (!row || !file || row.has_left) throw new Refused('wrong-link', NO_FILE);
  return { row, file };
}

/** What a download link leads to. Looking at it opens nothing: programs that look at mails do not use it up. */
export async function downloadView(deps: Deps, link: string): Promise<DownloadView> {
  const { row, file } = await getDownload(deps, link);
  const now = deps.clock.now();
  const why = whyClosed(row, now, null);
  return {
    organisation: (await getHouse(deps.db)).organisation,
    name: file.name,
    bytes: file.bytes,
    person: row.to_name,
    until: `${tellMoment(row.until.getTime(), Zone.of(row.zone), now)}, ${zoneWords(row.zone)}`,
    isOpen: why === null,
    why,
    mayAsk: row.may_ask,
  };
}

/** Opens a download, once more on the record. @throws Refused where it has ended, was used up, or is another device's */
export async function openDownload(deps: Deps, link: string, holder: string): Promise<{ name: string; type: string; content: Buffer }> {
  const token = tokenIn(deps, link);
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const row = await lockDownload(client, token, now);
    const found = row && (await listHandouts(client, [row.handout_id])).get(row.handout_id);
    const head = found && (await findFileHead(client, found.file_id, ['handout']));
    if (!row || !found || !head || row.has_left) throw new Refused('wrong-link', NO_FILE);
    const why = whyClosed(row, now, digestOf(holder));
    if (why) throw new Refused('conflict', `${why}${row.may_ask ? ' Ask for it anew: it comes to your address.' : ''}`);
    await useDownload(client, token, digestOf(holder), found.version, now);
    await announce(client, 'notices');
    return { name: head.name, type: head.type, content: await readBytes(client, head.id, 0, head.size) };
  });
}

/** Sends the reader of a download another link, to their own address, whoever asked; the one before ends. Where the mail is not taken it stays as it is. */
export async function askAnew(deps: Deps, link: string, from: string): Promise<{ words: string }> {
  const { key, baseUrl } = deps.settings;
  const { row, file } = await getDownload(deps, link);
  if (!row.may_ask) throw new Refused('conflict', 'This file is not given anew by itself. Reply to the message that it came with.');
  if (await countTry(deps.db, `download ${row.handout_id} of ${row.notice_id ?? row.to_address}`, from))
    throw new Refused('too-many-tries', 'It was asked for too often. Look into your mail, or try again in a quarter of an hour.');
  const now = deps.clock.now();
  const token = `${row.token.replace(/-r\d+$/, '')}-r${row.asked + 1}`;
  const until = new Date(now + ASKED_MS);
  const zone = Zone.of(row.zone);
  // whoever asks twice at once gets one
  if (!(await addRenewed(deps.db, row, token, until))) throw new Refused('conflict', 'It was asked for a moment ago: look into your mail.');
  const handover = await sendHouseMail(deps, {
    to: row.to_address,
    toName: row.to_name,
    subject: `Your new link to ${file.name}`,
    paragraphs: [
      `Somebody, probably you, asked for a new link to ${file.name}. It is yours alone, and opens until ${tellMoment(until.getTime(), zone, now)} (${zoneWords(row.zone)}).`,
      'The link that you had before opens nothing any more.',
    ],
    link: { words: file.name, url: addressOf(baseUrl, { kind: 'download', token: signedToken(key, 'download', token) }) },
  });
  if (handover.outcome !== 'accepted') {
    await dropRenewed(deps.db, token);
    throw new Refused('out-of-order', 'The mail server does not take the mail just now; nothing was changed. Try again later.');
  }
  await endDownload(deps.db, row.token, now);
  return { words: `A new link is on its way to ${maskOf(row.to_address)}; it opens until ${tellMoment(until.getTime(), zone, now)}.` };
}
const ASKED_MS = 24 * 3_600_000;

/** An address as somebody knows it who has it, and nobody learns it who has not. */
const maskOf = (address: string): string => address.replace(/^(.).*(@.*)$/, '$1…$2');
