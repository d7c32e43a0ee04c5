import { Readable } from 'node:stream';
import { announce, maybeRow, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFile, putFile } from '../files/files.repo.ts';
import { measured } from '../files/look.ts';
import { typeOf } from '../files/type.ts';
import { Refused } from '../refusal.ts';
import { recordHouse } from './record.ts';

/** Bytes of the picture above every message: it comes with each of them. */
const MOST_BYTES = 200_000;
/** What mail programs show. */
const TYPES = ['image/png', 'image/jpeg', 'image/gif'];

const GET_LOGO = 'select f.id, f.name from settings s join files f on f.id = s.logo_id';
const SET_LOGO = 'update settings set logo_id = $1::bigint';

/** Sets the picture above every message, or takes it away. What went keeps the one it went with. @param file null for none */
export async function setLogo(deps: Deps, file: { name: string; content: Buffer } | null, byWhom: string): Promise<void> {
  if (file) {
    const { content, name } = file;
    if (content.length > MOST_BYTES)
      throw new Refused('wrong-file', `${name}: expected at most 200 kB, since it comes with each mail; got ${Math.round(content.length / 1000)} kB. Nothing was changed.`); // prettier-ignore
    const { type } = await typeOf(content.subarray(0, 65_536), () => Readable.from([content]));
    if (!type || !TYPES.includes(type))
      throw new Refused('wrong-file', `${name}: expected a picture as PNG, JPEG or GIF, which mail programs show. Nothing was changed.`);
    measured(content, name);
    await transaction(deps.db, async (client) => {
      const { id } = await putFile(client, { name, type, content, purpose: 'logo' });
      await changeLogo(client, id, name);
    });
  } else await transaction(deps.db, (client) => changeLogo(client, null, null));

  async function changeLogo(
    client: Parameters<Parameters<typeof transaction>[1]>[0],
    id: string | null,
    name: string | null,
  ): Promise<void> {
    const before = await maybeRow<{ name: string }>(client, GET_LOGO, []);
    await client.query(SET_LOGO, [id]);
    await recordHouse(
      client,
      'settings',
      { at: deps.clock.now(), byWhom },
      'Settings',
      { Picture: before?.name ?? 'none' },
      { Picture: name ?? 'none' },
    );
    await announce(client, 'settings');
  }
}

/** A picture that stands above messages, or stood there. @throws Refused where there is none */
export async function findLogo(db: Queryable, id: string): Promise<{ name: string; type: string; content: Buffer }> {
  const file = await findFile(db, id, ['logo']);
  if (!file) throw new Refused('not-found', 'There is no such picture, or not any more.');
  return file;
}
