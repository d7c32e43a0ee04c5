import { isEventType, MINUTE, tellAmount, tellMoment, Zone } from '@nudrik/core';
import type { ActResult, ActRow } from '@nudrik/contract';
import { transaction, type Client, type Queryable } from '../db/db.ts';
import { revokeIssuedBy } from '../certificates/revoke.ts';
import type { Deps } from '../deps.ts';
import { getHouse, type House } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import {
  findChangedSince,
  findSentSince,
  findTakenSince,
  insertAct,
  listActRows,
  listOwnEvents,
  lockAct,
  markUndone,
  touch,
  type NewAct,
} from './acts.repo.ts';
import { isGroupLetter } from './group-letters.repo.ts';
import { record, type Happening } from './record.ts';

/** How long something that was done by hand can be taken back, at the least; as long as it settles, where that is longer. */
const UNDO_MS = 10 * MINUTE;
export const undoTime = (house: House): number => Math.max(UNDO_MS, house.sending.settle);

/** Does something by hand to assignments that are open: the act, its events, and what follows from them. */
export async function act(client: Client, made: NewAct, happenings: readonly Happening[]): Promise<ActResult> {
  const id = await insertAct(client, made);
  await touch(client, id, [...new Set(happenings.map(({ assignment }) => assignment))], true);
  await record(client, happenings, { byWhom: made.byWhom, act: id });
  return tellAct(await getHouse(client), made, id);
}

/** What an act by hand answers: its words, the way back, and how long what it would send waits. */
export function tellAct(house: House, made: NewAct, actId: string | null): ActResult {
  const until = (ms: number): string => new Date(made.at + ms).toISOString();
  const { settle } = house.sending;
  return {
    actId,
    words: made.words,
    undoUntil: actId === null ? null : until(undoTime(house)),
    settlesAt:
      actId !== null && settle > 0 && (made.kind === 'assign' || made.kind === 'extend' || made.kind === 'remind') ? until(settle) : null,
  };
}

/** What was done by hand, newest first; what can be taken back says until when, and what still settles until when. */
export async function listActs(db: Queryable, now: number): Promise<ActRow[]> {
  const house = await getHouse(db);
  return listActRows(db, now, undoTime(house), house.sending.settle);
}

const eventWord = (type: string): string => (isEventType(type) ? type.replaceAll('-', ' ') : 'something happened');

/** Takes an act back while that can be done: each of its events is taken back by one of its own. The record keeps both. */
export async function undoAct(deps: Deps, id: string, byWhom: string, work: Work = AT_ONCE): Promise<{ done: true }> {
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    const found = await lockAct(client, id);
    if (!found) throw new Refused('not-found', 'This is not on the record.');
    if (found.undone_at) throw new Refused('conflict', 'This was taken back already; nothing was changed.');
    const now = deps.clock.now();
    const house = await getHouse(client);
    const at = found.at.getTime();
    if (now - at > undoTime(house))
      throw new Refused(
        'conflict',
        `This was done on ${tellMoment(at, Zone.of(house.zone), now)}, ` +
          `${tellAmount(Math.floor((now - at) / MINUTE), 'minutes')} ago; ` +
          `it could be taken back for ${tellAmount(undoTime(house) / MINUTE, 'minutes')}. Nothing was changed.`,
      );
    const sent = await findSentSince(client, id);
    if (sent)
      throw new Refused(
        'conflict',
        `“${sent.step_name}” to ${sent.name} went out because of this, so it cannot be taken back. Nothing was changed.`,
      );
    const later = await findChangedSince(client, id);
    if (later)
      throw new Refused(
        'conflict',
        `The assignment of ${later.name} was changed after this (${eventWord(later.type)}), so it cannot be taken back. Nothing was changed.`,
      );
    const taken = await findTakenSince(client, id);
    if (taken)
      throw new Refused('conflict', `${taken.name} was assigned the course anew since, so this cannot be taken back. Nothing was changed.`);
    const events = await listOwnEvents(client, id);
    if (events.length === 0 && !(await isGroupLetter(client, id)))
      throw new Refused('conflict', 'Nothing of this is left to take back; nothing was changed.');
    await work.at(1, 2);
    await record(
      client,
      events.map(({ id: event, assignment_id }) => ({
        assignment: assignment_id,
        event: { type: 'undone', at: now, event, reason: `taken back by ${byWhom}` },
      })),
      { byWhom, act: id },
    );
    // certificates that it issued hold no more
    await revokeIssuedBy(
      client,
      events.map(({ id: event }) => event),
      now,
      byWhom,
    );
    await markUndone(client, id, now, byWhom);
    const result = { done: true } as const;
    await work.finish(client, result);
    return result;
  });
}
