import { dayOf, tellDate, tellDay, Zone } from '@nudrik/core';
import type { ActResult, TakeUpRequest } from '@nudrik/contract';
import { transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { act } from './acts.ts';
import { openAssignments, tellTouched } from './change.ts';

/** How far ahead somebody may promise that it is done. */
const MOST_DAYS = 60;

/** Somebody of the line sees to it until a day: the ladder waits until the morning after. */
export async function takeUp(deps: Deps, request: TakeUpRequest, byWhom: string): Promise<ActResult> {
  return transaction(deps.db, async (client) => {
    const list = await openAssignments(client, request.assignmentIds);
    const now = deps.clock.now();
    const until = dayOf(request.until);
    for (const { zone: name, person_name } of list) {
      const today = Zone.of(name).dayAt(now);
      const whose = list.length > 1 ? `${person_name}: ` : '';
      if (until < today) throw new Refused('wrong-input', `${whose}${tellDate(until)} has passed; expected today or later. Nothing was changed.`);
      if (until > today + MOST_DAYS)
        throw new Refused('wrong-input', `${whose}${tellDate(until)} is more than ${MOST_DAYS} days away; expected an earlier day, or an extension. Nothing was changed.`);
    }
    const words = `Taken up ${tellTouched(list)}: done by ${tellDay(until, Zone.of(list[0]!.zone).dayAt(now))}.`;
    return act(
      client,
      { kind: 'take-up', at: now, byWhom, reason: request.told ?? null, words },
      list.map(({ id }) => ({
        assignment: id,
        event: { type: 'taken-up', at: now, until: request.until, by: byWhom, ...(request.told && { told: request.told }), ...(request.tellAbove && { isTold: true }) },
      })),
    );
  });
} // prettier-ignore
