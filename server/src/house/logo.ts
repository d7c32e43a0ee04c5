import { announce, maybeRow, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { putPicture } from '../messages/picture.ts';
import { recordHouse } from './record.ts';

const GET_LOGO = 'select f.id, f.name from settings s join files f on f.id = s.logo_id';
const SET_LOGO = 'update settings set logo_id = $1::bigint';

/** Sets the picture above every message, or takes it away. What went keeps the one it went with. @param file null for none */
export async function setLogo(deps: Deps, file: { name: string; content: Buffer } | null, byWhom: string): Promise<void> {
  if (file) {
    await transaction(deps.db, async (client) => {
      const { id, name } = await putPicture(client, file, 'logo');
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
