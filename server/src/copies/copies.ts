import { randomBytes } from 'node:crypto';
import { findRecipient, rolesFor, tellAmount, tellDay, tellTime, Zone, zoneWords, type Instant, type PlanStep } from '@nudrik/core';
import { insertOutbox } from '../conversations/outbox.repo.ts';
import { transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import { htmlOf } from '../messages/post.ts';
import type { AssignmentFacts, Facts } from '../notices/facts.ts';
import { withoutLinks, withoutLinksIn } from '../messages/redacted.ts';
import { claimEach, claimSummary, hasCopies, insertCopies, listDue, settleCopies, type CopyRow } from './copies.repo.ts';

/** Lines of a summary; of more it says how many, and where they stand. */
const MOST_LINES = 200;

interface Sent {
  step: PlanStep;
  assignment: AssignmentFacts;
  message: string;
  toAddress: string;
}

/** Notes who is to be told of messages once they went. Nobody is told of what they read themselves, nor where mail comes back. */
export async function noteCopies(client: Client, sent: readonly Sent[], { roster, courses, house }: Facts, now: Instant): Promise<void> {
  await insertCopies(
    client,
    sent.flatMap(({ step, assignment, message, toAddress }) => {
      const { copies } = step;
      if (!copies) return [];
      const course = courses.get(assignment.course)!;
      const seen = new Set([toAddress.toLowerCase()]);
      return rolesFor(copies.to, course.assistants).flatMap((role) => {
        const { person, address } = findRecipient(role, roster.getPerson(assignment.person), roster.person(course.owner), roster, now);
        if (address === null || (person && !person.isReachable) || seen.has(address.toLowerCase())) return [];
        seen.add(address.toLowerCase());
        const zone = person ? roster.calendarOf(person).zone.name : house.zone;
        return [{ message, toName: person?.name ?? '', toAddress: address, zone, isEach: copies.isEach, at: new Date(now) }];
      });
    }),
  );
}

const newId = (house: House): string => `<copy-${randomBytes(12).toString('hex')}@${house.senderAddress.split('@')[1]}>`;

interface Mail {
  to: CopyRow;
  subject: string;
  html: string;
  body: string;
}

/** Puts a mail on its way, and settles what it tells of: in one transaction, so that it is told once. */
async function tell(
  client: Client,
  house: House,
  { to, subject, html, body }: Mail,
  copies: readonly CopyRow[],
  now: Instant,
): Promise<void> {
  const outbox = await insertOutbox(client, {
    conversation: null,
    post: null,
    isAnswer: false,
    headerId: newId(house),
    fromName: house.senderName,
    toName: to.to_name,
    toAddress: to.to_address,
    replyTo: house.replyTo,
    subject,
    html,
    body,
    inReplyTo: null,
    refs: null,
    at: now,
  });
  await settleCopies(client, copies.map(({ id }) => id), outbox, now); // prettier-ignore
}

/** A message as it was sent, for somebody else: with whom it went to above, and nobody's personal link. */
function eachMail(copy: CopyRow): Mail {
  const lead = `A copy of what ${copy.reader || copy.reader_address} <${copy.reader_address}> was sent: “${copy.step}”, ${copy.course}.`;
  return {
    to: copy,
    subject: `Copy: ${copy.subject}`,
    html: withoutLinks(copy.html).replace(/<body[^>]*>/, (tag) => tag + htmlOf(lead)),
    body: `${lead}\n\n${withoutLinksIn(copy.body)}`,
  };
}

const OUTCOMES: Readonly<Record<string, string>> = { sent: 'sent', delivered: 'delivered', bounced: 'came back' };
const escaped = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');

/** All of a day in one mail: a line for each message, with what came of it. */
function summaryMail(copies: readonly CopyRow[], baseUrl: string, now: Instant): Mail {
  const [first] = copies;
  const zone = Zone.of(first!.zone);
  const dayOf = (at: Date): string => tellDay(zone.dayAt(at.getTime()), zone.dayAt(now));
  const days = [...new Set(copies.map(({ at }) => dayOf(at)))];
  const shown = copies.slice(0, MOST_LINES);
  const head = ['When', 'To', 'Message', 'Course', 'Outcome'];
  const lines = shown.map(({ at, reader, reader_address, subject, course, state }) => [
    `${days.length > 1 ? `${dayOf(at)} ` : ''}${tellTime(at.getTime(), zone)}`,
    reader || reader_address,
    subject,
    course,
    OUTCOMES[state] ?? state,
  ]);
  const count = tellAmount(copies.length, 'messages');
  const came = copies.filter(({ state }) => state === 'bounced').length;
  const lead = `${count} went on ${days.join(' and ')}${came > 0 ? `; ${came} came back` : ''}. Times are ${zoneWords(first!.zone)}.`;
  const more = copies.length > shown.length ? [`And ${copies.length - shown.length} more, which stand in the ledger.`] : [];
  const end = `One summary a day, as the plan says. Each message as it was read: ${baseUrl}/ledger`;
  const cell = (tag: string, text: string): string => `<${tag} style="text-align:left;padding:4px 12px 4px 0;border-bottom:1px solid #DDD6CA;vertical-align:top">${escaped(text)}</${tag}>`;
  const row = (tag: string, cells: readonly string[]): string => `<tr>${cells.map((text) => cell(tag, text)).join('')}</tr>`;
  return {
    to: first!,
    subject: `What went out: ${count}, ${days.at(-1)}`,
    html: `${htmlOf(lead)}<table cellspacing="0" style="border-collapse:collapse;font-size:14px">${row('th', head)}${lines.map((line) => row('td', line)).join('')}</table>${htmlOf([...more, end].join('\n\n'))}`,
    body: [lead, lines.map(([when, to, subject, course, outcome]) => `${when}  ${to}: ${subject} (${course}, ${outcome})`).join('\n'), ...more, end].join('\n\n'),
  };
} // prettier-ignore

/** Tells of what went: each copy as soon as its message did, a summary in the morning of the day after. @returns how many mails were put on their way */
export async function sendCopies(deps: Deps): Promise<number> {
  if (!(await hasCopies(deps.db))) return 0;
  const now = deps.clock.now();
  const house = await getHouse(deps.db);
  let made = await transaction(deps.db, async (client) => {
    const each = await claimEach(client, 50);
    for (const copy of each) await tell(client, house, eachMail(copy), [copy], now);
    return each.length;
  });
  for (const address of await listDue(deps.db, now))
    made += await transaction(deps.db, async (client) => {
      await client.query('select pg_advisory_xact_lock(7303, hashtext($1::text))', [address]);
      const copies = await claimSummary(client, address, now);
      if (copies.length === 0) return 0;
      await tell(client, house, summaryMail(copies, deps.settings.baseUrl, now), copies, now);
      return 1;
    });
  return made;
}
