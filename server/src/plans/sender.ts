import { repliesOf, senderOf, tellSender, type SenderRule } from '@nudrik/core';
import type { PlanView, SenderRequest } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { recordHouse } from '../house/record.ts';
import { listCourseFacts } from '../notices/facts.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';

const LOCK = 'select p.sender, c.title from plans p join courses c on c.id = p.course_id where p.course_id = $1::bigint for update of p';
const PUT = 'update plans set sender = $2::jsonb where course_id = $1::bigint';

const isSame = (a: SenderRule | null, b: SenderRule | null): boolean =>
  a === b || (a !== null && b !== null && a.isTrainer === b.isTrainer && a.name === b.name && a.replyTo === b.replyTo);

const lock = (client: Client, course: string): Promise<{ sender: SenderRule | null; title: string } | null> => maybeRow(client, LOCK, [course]); // prettier-ignore

/** Sets who the messages of a course come from, for what goes from now on. Over what somebody else set meanwhile it is refused. */
export async function setSender(
  deps: Deps,
  course: string,
  { sender, was }: SenderRequest,
  byWhom: string,
): Promise<{ sender: SenderRule | null }> {
  return transaction(deps.db, async (client) => {
    const found = await lock(client, course);
    if (!found) throw new Refused('not-found', 'There is no such plan, or not any more.');
    // one that says nothing is none
    const next = sender && (sender.isTrainer || sender.name !== null || sender.replyTo !== null) ? sender : null;
    if (isSame(found.sender, next)) return { sender: next };
    if (!isSame(found.sender, was))
      throw new Refused('stale', `Somebody set meanwhile that the messages of ${found.title} come from: ${tellSender(found.sender)}. Yours was not kept; look again.`); // prettier-ignore
    const house = await getHouse(client);
    if (next?.replyTo && next.replyTo.toLowerCase() === house.inboundAddress)
      throw new Refused('wrong-input', `Replies come in at ${next.replyTo} already, and stand in Nudrik. Expected the address of somebody who is told of them; nothing was changed.`); // prettier-ignore
    await client.query(PUT, [course, next && JSON.stringify(next)]);
    await recordHouse(client, 'settings', { at: deps.clock.now(), byWhom }, `Messages of ${found.title}`, { 'come from': tellSender(found.sender) }, { 'come from': tellSender(next) }); // prettier-ignore
    await announce(client, 'plans');
    return { sender: next };
  });
}

/** Who the messages of a course come from and whom their replies reach, by the functions that its letters ask. */
export async function sendersOf({ db, clock }: Deps, courseId: string): Promise<PlanView['senders']> {
  const now = clock.now();
  const house = await getHouse(db);
  const [course] = await listCourseFacts(db, [courseId]);
  const roster = await loadRoster(db, [], [course!], house.sending);
  const trainer = roster.person(course!.owner);
  const told = (rule: SenderRule | null): { name: string; replies: string } => {
    const sender = senderOf(house, [rule], trainer, roster, now);
    const { reader, address } = repliesOf(sender.replies, [course!.owner], roster, now);
    return { name: sender.name, replies: reader ?? address };
  };
  return { house: house.senderName, trainer: trainer?.name ?? null, replies: told(null).replies, now: told(course!.sender) };
}
