import { createHash } from 'node:crypto';
import { kindOfArrival, oneLine, readBounce, type ArrivalKind } from '@nudrik/core';
import { takeAutoReply, takeReply } from '../conversations/replies.ts';
import { insertArrival, knowsDigest } from '../conversations/conversations.repo.ts';
import { bounceOutbox } from '../conversations/outbox.repo.ts';
import { announce, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { recordReport } from '../notices/dispatch.ts';
import { readMailFile } from '../read-apart.ts';
import type { Delivered } from './inbound.ts';
import { readEnvelope } from './envelope.ts';
import { findAddress } from './reply-address.ts';
import type { DeliveryReport, ReadMail } from './read-mail.ts';
import { originOf, returnedTag, type Incoming } from './incoming.ts';

/**
 * Which attempt a report is about: by its envelope id, by the address it came to, or by the sender of the envelope that it brings back. The
 * address for replies is not enough: whoever has the message knows it.
 */
function deliveryOf({ mail, tag, house }: Incoming): { delivery: string } | { outbox: string } | null {
  const named = mail.report?.envelopeId ? readEnvelope(house.envelopeKey, mail.report.envelopeId) : null;
  if (named !== null) return { delivery: named };
  const about = tag?.kind === 'delivery' || tag?.kind === 'outbox' ? tag : returnedTag(house.envelopeKey, mail, ['delivery', 'outbox']);
  if (about?.kind === 'delivery') return { delivery: about.id };
  return about?.kind === 'outbox' ? { outbox: about.id } : null;
}

/** A report or a bounce. One that names nothing of ours is not believed. */
async function takeReport(deps: Deps, incoming: Incoming): Promise<void> {
  const { mail, kind } = incoming;
  const said = mail.report ?? readBounce(mail.text) ?? (kind === 'bounce' ? readBounce(mail.subject) : null);
  if (!said) return;
  const about = deliveryOf(incoming);
  if (!about) return;
  const report: DeliveryReport = { action: said.action, status: said.status, words: oneLine(said.words, 300), at: mail.report?.at ?? null };
  if ('delivery' in about) return void (await recordReport(deps, about.delivery, report));
  if (report.action !== 'failed') return;
  await transaction(deps.db, async (client) => {
    if ((await bounceOutbox(client, about.outbox, report.words)) !== null) await announce(client, 'conversations');
  });
}

/** A mail provider passes on that its reader called a message spam (RFC 5965): somebody looks at it. */
async function takeComplaint(client: Client, incoming: Incoming, now: number): Promise<void> {
  const origin = await originOf(client, incoming);
  if (!origin) return;
  const { mail, digest } = incoming;
  await insertArrival(client, { at: now, digest, kind: 'complaint', from: mail.from, fromName: mail.fromName, subject: mail.subject, body: `A complaint about “${origin.subject}”, as the mail provider of ${origin.name} passes it on.`, personId: origin.personId, noticeId: origin.noticeId, waits: true }); // prettier-ignore
}

/** The Message-IDs that we give: of notices, of words in conversations, of mails of the house. */
const OURS = /^<(notice|word|house)-/;

/** What a mail is known by: what it says, and not the way that it came, so that one which comes by two relays is taken once. */
function digestOf({ messageId, from, subject, text, returned, report, files }: ReadMail, raw: Buffer): Buffer {
  const what = messageId ? JSON.stringify([messageId, from, subject, text, returned, report, files.map(({ name, content }) => [name, content.length])]) : raw; // prettier-ignore
  return createHash('sha256').update(what).digest();
}

/** Takes in a mail that came back to the house. What comes twice is taken once. @returns what it was */
export async function takeMail(deps: Deps, { raw, from, to }: Delivered): Promise<ArrivalKind> {
  const mail = await readMailFile(raw, from);
  const house = await getHouse(deps.db);
  const kind = kindOfArrival(mail);
  const digest = digestOf(mail, raw);
  const tag = findAddress(house.envelopeKey, [...to, ...mail.addressed]);
  const incoming: Incoming = { mail, kind, digest, house, tag };
  if (kind === 'report' || kind === 'bounce') return (await takeReport(deps, incoming), kind);
  // what is ours came around in a circle: by its Message-ID, since people may answer from the house's own address
  const isOwn = mail.from === house.senderAddress && OURS.test(mail.messageId ?? '');
  if (isOwn || kind === 'receipt' || (kind === 'list' && !tag)) return kind;
  if (await knowsDigest(deps.db, digest)) return kind;
  await transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    if (kind === 'complaint') await takeComplaint(client, incoming, now);
    else if (kind === 'auto-reply') await takeAutoReply(client, incoming, now);
    else await takeReply(deps, client, incoming, now);
    await announce(client, 'conversations', 'work');
  });
  return kind;
}
