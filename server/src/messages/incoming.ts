import type { ArrivalKind } from '@nudrik/core';
import { findOriginOfDelivery, findOriginOfIds, findOriginOfNotice, type NoticeOrigin } from '../conversations/conversations.repo.ts';
import type { Queryable } from '../db/db.ts';
import type { House } from '../house/house.ts';
import { findAddress, type Addressed, type AddressKind } from './reply-address.ts';
import type { ReadMail } from './read-mail.ts';

/** A mail that came in, with what it is known by. */
export interface Incoming {
  mail: ReadMail;
  kind: ArrivalKind;
  digest: Buffer;
  house: House;
  /** the signed address that it came to, where it came to one */
  tag: Addressed | null;
}

/** Addresses that stand in what a report brings back: of ours they were signed by us, so that a made-up report names none. */
const TAGGED = /[^\s<>"(),;:]{1,64}\+[nphdo][0-9a-z]{1,13}-[a-z2-7]{16}@/gi;

export const returnedTag = (key: string, { returned, text }: ReadMail, kinds: readonly AddressKind[]): Addressed | null =>
  findAddress(
    key,
    [...`${returned}\n${text}`.slice(0, 80_000).matchAll(TAGGED)].slice(0, 20).map(([address]) => address),
    kinds,
  );

/** The notice that a mail is about, by the address it came to, by what it refers to, or by what it brings back. */
export async function originOf(db: Queryable, { tag, mail, house, kind }: Incoming): Promise<NoticeOrigin | null> {
  const about = kind === 'complaint' ? returnedTag(house.envelopeKey, mail, ['notice', 'delivery']) : tag;
  if (about?.kind === 'notice') return findOriginOfNotice(db, about.id);
  if (about?.kind === 'delivery') return findOriginOfDelivery(db, about.id);
  return about || kind === 'complaint' ? null : findOriginOfIds(db, mail.refersTo);
}
