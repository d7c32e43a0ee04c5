import { tellSender, type SenderRule } from '@nudrik/core';
import type { SenderRequest } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { recordHouse } from '../house/record.ts';
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
