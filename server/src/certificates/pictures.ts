import { Readable } from 'node:stream';
import type { CertificatePicture } from '@nudrik/contract';
import { maybeRow, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFile, putFile } from '../files/files.repo.ts';
import { measured } from '../files/look.ts';
import { typeOf } from '../files/type.ts';
import { checkPicture } from '../read-apart.ts';
import { Refused } from '../refusal.ts';
import type { Picture } from './draw-pdf.ts';

/** Bytes of one picture: it is in each PDF. */
const MOST_BYTES = 4_000_000;
/** Pixels of one: larger ones print no better, and take long to unpack. The page makes them smaller before they come. */
const MOST_PIXELS = 16_000_000;
const TYPES = ['image/png', 'image/jpeg'];

/** Keeps a picture of a design. @throws Refused where it cannot be drawn in a PDF */
export async function addCertificatePicture(
  { db }: Deps,
  { name, content }: { name: string; content: Buffer },
): Promise<CertificatePicture> {
  const refuse = (words: string): never => {
    throw new Refused('wrong-file', `${name}: ${words}. Nothing was taken.`);
  };
  if (content.length === 0) refuse('the file is empty (0 bytes); expected a picture as PNG or JPEG');
  if (content.length > MOST_BYTES)
    refuse(`expected at most 4 MB, since it is in each certificate; got ${(content.length / 1_000_000).toFixed(1)} MB`);
  const { type } = await typeOf(content.subarray(0, 65_536), () => Readable.from([content]));
  if (!type || !TYPES.includes(type)) refuse('expected a picture as PNG or JPEG');
  const size = measured(content, name);
  if (size.width * size.height > MOST_PIXELS)
    refuse(`${size.width} × ${size.height} pixels are more than any printer needs; expected 16 million at most`);
  const fault = await checkPicture(content, name, size);
  if (fault) refuse(fault);
  const { id } = await transaction(db, (client) => putFile(client, { name, type: type!, content, purpose: 'certificate', about: size }));
  return { id, name, ...size };
}

const GET_LOGO = 'select logo_id from settings';

/** Pictures by their files, each read once: what designs are drawn with. */
export class Pictures {
  private readonly known = new Map<string | null, Picture | null>();

  constructor(private readonly db: Queryable) {}

  /** Reads what some designs name, before they are drawn. @param ids null is the picture above every message */
  async read(ids: Iterable<string | null>): Promise<void> {
    for (const id of new Set(ids)) if (!this.known.has(id)) this.known.set(id, await this.find(id));
  }

  get = (id: string | null): Picture | null => this.known.get(id) ?? null;

  private async find(id: string | null): Promise<Picture | null> {
    const file = await fileOf(this.db, id);
    // a logo may be a GIF, which mail programs show and no PDF
    if (!file || !TYPES.includes(file.type)) return null;
    return { content: file.content, ...measured(file.content, file.name) };
  }
}

/** The file of a picture. @param id null is the one above every message */
async function fileOf(db: Queryable, id: string | null): Promise<{ name: string; type: string; content: Buffer } | null> {
  const fileId = id ?? (await maybeRow<{ logo_id: string | null }>(db, GET_LOGO))?.logo_id;
  return fileId ? findFile(db, fileId, [id === null ? 'logo' : 'certificate']) : null;
}

/** A picture of designs. @param id null is the one above every message. @throws Refused where there is none */
export async function findCertificatePicture(db: Queryable, id: string | null): Promise<{ name: string; type: string; content: Buffer }> {
  const file = await fileOf(db, id);
  if (!file) throw new Refused('not-found', 'There is no such picture, or not any more.');
  return file;
}
