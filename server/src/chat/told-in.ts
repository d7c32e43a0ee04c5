import type { PlanView, ToldInRequest } from '@nudrik/contract';
import { maybeRow, oneRow, transaction, announce } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { recordHouse } from '../house/record.ts';
import { Refused } from '../refusal.ts';

const GET = 'select c.told_in as "toldIn", h.has_chat from courses c cross join settings h where c.id = $1::bigint';
const LOCK = 'select told_in, title from courses where id = $1::bigint for update';
const PUT = 'update courses set told_in = $2::text where id = $1::bigint';

/** Where a course tells in the chat who finished it; null where there is no chat. */
export async function chatOfPlan({ db }: Deps, course: string): Promise<PlanView['chat']> {
  const { toldIn, has_chat } = await oneRow<{ toldIn: string | null; has_chat: boolean }>(db, GET, [course]);
  return has_chat ? { toldIn } : null;
}

const tell = (channel: string | null): string => (channel === null ? 'nowhere' : `#${channel}`);

/** Sets where a course tells who finished it, for what is finished from now on. Over what somebody else set meanwhile it is refused. */
export async function setToldIn(
  deps: Deps,
  course: string,
  { toldIn, was }: ToldInRequest,
  byWhom: string,
): Promise<{ toldIn: string | null }> {
  return transaction(deps.db, async (client) => {
    const found = await maybeRow<{ told_in: string | null; title: string }>(client, LOCK, [course]);
    if (!found) throw new Refused('not-found', 'There is no such plan, or not any more.');
    if (found.told_in === toldIn) return { toldIn };
    if (found.told_in !== was)
      throw new Refused(
        'stale',
        `Somebody set meanwhile that who finishes ${found.title} is told in: ${tell(found.told_in)}. Yours was not kept; look again.`,
      );
    await client.query(PUT, [course, toldIn]);
    await recordHouse(client, 'settings', { at: deps.clock.now(), byWhom }, `Completions of ${found.title}`, { 'told in': tell(found.told_in) }, { 'told in': tell(toldIn) }); // prettier-ignore
    await announce(client, 'plans');
    return { toldIn };
  });
}
