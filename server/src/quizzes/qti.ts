import { randomBytes } from 'node:crypto';
import { strFromU8, strToU8, zipSync } from 'fflate';
import { FILE_KINDS, type Question, type Quiz } from '@nudrik/core';
import type { QtiRead } from '@nudrik/contract';
import { readDraft } from '../courses/draft.ts';
import { transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFile, knowFile, putFile } from '../files/files.repo.ts';
import { lookAt } from '../files/look.ts';
import { bytesAtHand } from '../files/office.ts';
import { readZip } from '../files/zip.ts';
import { Refused } from '../refusal.ts';
import { readItem } from './qti.read.ts';
import { writeItem, writeQtiManifest } from './qti.write.ts';

const MB = 1024 * 1024;
const LIMITS = { files: 2_000, each: 20 * MB, whole: 200 * MB };
const PICTURE = /\/api\/files\/(\d+)/g;

/** Files by their path in a package. */
export type Pack = Record<string, Uint8Array>;

/**
 * The pictures of a text, beside it: their addresses become paths within the package.
 * @param into where they are put, by their path
 * @param up from where the text stands to the top of the package
 */
export async function packPictures(db: Queryable, html: string, into: Pack, up = ''): Promise<string> {
  const paths = new Map<string, string>();
  for (const [, id] of html.matchAll(PICTURE)) {
    if (paths.has(id!)) continue;
    const file = await findFile(db, id!, ['course']);
    if (!file) continue;
    const path = `media/${id}.${FILE_KINDS[file.type]?.endings[0] ?? 'bin'}`;
    into[path] = file.content;
    paths.set(id!, path);
  }
  return html.replace(PICTURE, (whole, id: string) => (paths.has(id) ? `${up}${paths.get(id)}` : whole));
}

/** Puts a file of a package among those of courses, once; null where it is none that may be. */
export async function keepPacked(client: Client, path: string, content: Uint8Array): Promise<string | null> {
  await client.query('savepoint packed');
  try {
    const { id, name, bytes } = await putFile(client, { name: path.split('/').at(-1)!, type: 'application/octet-stream', content, purpose: 'course' }); // prettier-ignore
    const { type, about } = await lookAt(client, { id, name, type: '', size: bytes });
    await knowFile(client, id, name, type, about);
    return id;
  } catch (error) {
    if (!(error instanceof Refused)) throw error;
    await client.query('rollback to savepoint packed');
    return null;
  }
}

/** A path as a file of the package, from where it is named. */
function pathFrom(folder: string, path: string): string {
  const parts = folder.split('/').filter(Boolean);
  for (const part of path.split('/'))
    if (part === '..') parts.pop();
    else if (part !== '.' && part !== '') parts.push(part);
  return parts.join('/');
}

/**
 * A text, in Markdown, HTML or XML, with the pictures that it names by their path kept here.
 * @param from the file of the package in which it stands
 */
export async function unpackPictures(
  client: Client,
  text: string,
  from: string,
  pack: ReadonlyMap<string, Uint8Array>,
  kept: Map<string, string | null>,
): Promise<string> {
  const NAMED = /(\bsrc="|\]\()(?![a-z]+:|\/)([^")\s]+)/gi;
  const folder = from.split('/').slice(0, -1).join('/');
  for (const [, , named] of text.matchAll(NAMED)) {
    const path = pathFrom(folder, named!);
    if (pack.has(path) && !kept.has(path)) kept.set(path, await keepPacked(client, path, pack.get(path)!));
  }
  return text.replace(NAMED, (whole, before: string, named: string) => {
    const id = kept.get(pathFrom(folder, named));
    return id ? `${before}/api/files/${id}` : whole;
  });
}

/** The items of a quiz and what they show, below a folder. */
export async function packQuiz(db: Queryable, quiz: Quiz, folder: string, into: Pack): Promise<void> {
  const up = '../'.repeat(folder.split('/').filter(Boolean).length);
  for (const question of quiz.questions)
    into[`${folder}${question.id}.xml`] = strToU8(await packPictures(db, writeItem(question), into, up));
}

/** A quiz as a package of QTI 3.0. */
export async function quizPackage(db: Queryable, courseId: string, unitId: string): Promise<{ name: string; content: Buffer }> {
  const { course, content } = await readDraft(db, courseId);
  const unit = content.sections.flatMap(({ units }) => units).find(({ id }) => id === unitId);
  if (!unit?.quiz) throw new Refused('not-found', 'There is no such quiz, or not any more.');
  const pack: Pack = {};
  await packQuiz(db, unit.quiz, 'items/', pack);
  const media = Object.keys(pack).filter((path) => path.startsWith('media/'));
  pack['imsmanifest.xml'] = strToU8(
    writeQtiManifest(
      unit.quiz.questions.map(({ id }) => id),
      media,
    ),
  );
  return { name: `${course.title}, ${unit.title}.zip`, content: Buffer.from(zipSync(pack)) };
}

/** A package, or one item, as a package that is in memory. */
export async function readPack(content: Uint8Array, fileName: string): Promise<Map<string, Uint8Array>> {
  const pack = new Map<string, Uint8Array>();
  for await (const { path, content: part } of readZip(bytesAtHand(content), fileName, LIMITS)) pack.set(path, part);
  return pack;
}

const newId = (): string => `q${randomBytes(8).toString('hex')}`;

/** The questions of a package of QTI 3.0, or of one item. What cannot be read is named, item by item; the rest is taken. */
export async function readQti(deps: Deps, content: Uint8Array, fileName: string): Promise<QtiRead> {
  if (content.length === 0)
    throw new Refused('wrong-file', `${fileName}: the file is empty (0 bytes). Expected items of QTI 3.0; nothing was taken.`);
  const isZip = content[0] === 0x50 && content[1] === 0x4b;
  const pack = isZip ? await readPack(content, fileName) : new Map([[fileName, content]]);
  const items = [...pack].filter(([path]) => !isZip || (/\.xml$/i.test(path) && !/(^|\/)imsmanifest\.xml$/i.test(path)));
  if (items.length === 0) throw new Refused('wrong-file', `${fileName}: it holds no item. Expected a package of QTI 3.0, or one item of it; nothing was taken.`); // prettier-ignore
  return transaction(deps.db, async (client) => {
    const faults: QtiRead['faults'] = [];
    const questions: Question[] = [];
    const kept = new Map<string, string | null>();
    for (const [path, bytes] of items) {
      const xml = await unpackPictures(client, strFromU8(bytes as Uint8Array<ArrayBuffer>), path, pack, kept);
      const found = readItem(xml, newId);
      if ('fault' in found) faults.push({ item: path, words: found.fault });
      else questions.push(found.question);
    }
    return { questions, faults };
  });
}
