import { Readable } from 'node:stream';
import { picturesIn, textsOf, type PlanStep } from '@nudrik/core';
import type { PictureView } from '@nudrik/contract';
import { transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFile, listThere, putFile, type Purpose } from '../files/files.repo.ts';
import { measured } from '../files/look.ts';
import { typeOf } from '../files/type.ts';
import { logoAddress, type House } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import type { Letter } from './channel.ts';

/** Bytes of one picture: it comes with each mail. */
const MOST_BYTES = 200_000;
/** What mail programs show. */
const TYPES = ['image/png', 'image/jpeg', 'image/gif'];

/** Keeps a picture that stands in messages, or above them. @throws Refused where mail programs would not show it */
export async function putPicture(
  client: Client,
  { name, content }: { name: string; content: Buffer },
  purpose: Extract<Purpose, 'logo' | 'picture'>,
): Promise<PictureView> {
  if (content.length > MOST_BYTES)
    throw new Refused('wrong-file', `${name}: expected at most 200 kB, since it comes with each mail; got ${Math.round(content.length / 1000)} kB. Nothing was changed.`); // prettier-ignore
  const { type } = await typeOf(content.subarray(0, 65_536), () => Readable.from([content]));
  if (!type || !TYPES.includes(type))
    throw new Refused('wrong-file', `${name}: expected a picture as PNG, JPEG or GIF, which mail programs show. Nothing was changed.`);
  const size = measured(content, name);
  const { id } = await putFile(client, { name, type, content, purpose });
  return { id, name, ...size };
}

/** A picture for the texts of messages. */
export const addPicture = ({ db }: Deps, file: { name: string; content: Buffer }): Promise<PictureView> =>
  transaction(db, (client) => putPicture(client, file, 'picture'));

/** A picture that stands in messages or above them, or stood there. @throws Refused where there is none */
export async function findPicture(db: Queryable, id: string): Promise<{ name: string; type: string; content: Buffer }> {
  const file = await findFile(db, id, ['logo', 'picture']);
  if (!file) throw new Refused('not-found', 'There is no such picture, or not any more.');
  return file;
}

/** Pictures that the messages of steps name, and that are not there: of another house, or made up. */
export async function pictureFaults(db: Queryable, steps: readonly PlanStep[]): Promise<{ step: string; message: string }[]> {
  const named = steps.flatMap(({ id, name, message }) =>
    textsOf(message).flatMap(({ text }) => picturesIn(text.body).map((picture) => ({ id, name, picture }))),
  );
  if (named.length === 0) return [];
  const there = await listThere(
    db,
    named.map(({ picture }) => picture),
    'picture',
  );
  return named
    .filter(({ picture }) => !there.has(picture))
    .map(({ id, name }) => ({
      step: id,
      message: `“${name}”: A picture of the text is not there any more. Take it out, or choose it again.`,
    }));
}

type Pictured = Pick<Letter, 'html'> & Partial<Pick<Letter, 'files'>>;

/**
 * How the pictures of a house go with letters: in them, where the house says so, and otherwise they are fetched from where they stand. Each
 * is read once, however many letters bring it.
 * @returns what puts them in; a letter without pictures stays as it is
 */
export function pictureFor(db: Queryable, house: House, baseUrl: string): <T extends Pictured>(letter: T) => Promise<T> {
  if (!house.frame.isEmbedded) return (letter) => Promise.resolve(letter);
  // values are escaped in a letter: nobody's words make such an address
  const address = new RegExp(`src="${escaped(logoAddress(baseUrl, ''))}(\\d{1,18})"`, 'g');
  const read = new Map<string, Promise<{ name: string; type: string; content: Buffer; cid: string }>>();
  const of = (id: string) => {
    if (!read.has(id)) read.set(id, findPicture(db, id).then((file) => ({ ...file, cid: `picture-${id}@${house.senderAddress.split('@')[1]}` }))); // prettier-ignore
    return read.get(id)!;
  };
  return async (letter) => {
    const ids = [...new Set([...letter.html.matchAll(address)].map(([, id]) => id!))];
    if (ids.length === 0) return letter;
    const pictures = new Map(await Promise.all(ids.map(async (id) => [id, await of(id)] as const)));
    const html = letter.html.replace(address, (_, id: string) => `src="cid:${pictures.get(id)!.cid}"`);
    return { ...letter, html, files: [...(letter.files ?? []), ...pictures.values()] };
  };
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&');
