import type { Queryable } from '../db/db.ts';
import { logoAddress, type House } from '../house/house.ts';
import { findLogo } from '../house/logo.ts';
import type { Letter } from './channel.ts';

type Pictured = Pick<Letter, 'html'> & Partial<Pick<Letter, 'files'>>;

/**
 * How the house's picture goes with a letter: in it, where the house says so, and otherwise it is fetched from where it stands.
 * @returns what puts it in; a letter without the picture stays as it is
 */
export async function pictureFor(db: Queryable, house: House, baseUrl: string): Promise<<T extends Pictured>(letter: T) => T> {
  const { logo, isEmbedded } = house.frame;
  if (logo === null || !isEmbedded) return (letter) => letter;
  const address = `src="${logoAddress(baseUrl, logo)}"`;
  const picture = { ...(await findLogo(db, logo)), cid: `picture-${logo}@${house.senderAddress.split('@')[1]}` };
  return (letter) =>
    letter.html.includes(address)
      ? { ...letter, html: letter.html.replaceAll(address, `src="cid:${picture.cid}"`), files: [...(letter.files ?? []), picture] }
      : letter;
}
