import { dayOf, tellDate, tellLeave } from '@nudrik/core';
import type { LeaveDraft } from '@nudrik/contract';
import { announce, maybeRow, oneRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseLeave } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { listOpenAssignmentsAround } from './people.repo.ts';
import { recordChanges } from './write-roster.ts';

async function follow(
  client: Client,
  deps: Deps,
  personId: string,
  byWhom: string,
  change: { from: string | null; to: string | null },
): Promise<void> {
  const now = deps.clock.now();
  await recordChanges(client, [{ id: personId, kind: 'leave', changes: [{ field: 'leave', ...change }] }], { at: now, byWhom });
  await releaseLeave(client, [personId], now);
  await requestReplan(client, await listOpenAssignmentsAround(client, [personId]));
  await announce(client, 'people', 'work');
}

const LOCK_PERSON = 'select name from people where id = $1::bigint for update';
const GET_PERSON_NAME = 'select name from people where id = $1::bigint';
const GET_OVERLAPPING = `
select from_on, to_on
from leaves
where person_id = $1::bigint
  and from_on <= $3::date
  and to_on >= $2::date
order by from_on
limit 1
`;
const INSERT_LEAVE = `
insert into leaves (person_id, from_on, to_on, cover_id)
values ($1::bigint, $2::date, $3::date, $4::bigint)
returning id
`;

/** Enters leave; notices to this person wait for its end, escalations to them go to the cover. */
export async function addLeave(deps: Deps, personId: string, leave: LeaveDraft, byWhom: string): Promise<string> {
  return transaction(deps.db, async (client) => {
    const person = await maybeRow<{ name: string }>(client, LOCK_PERSON, [personId]);
    if (!person) throw new Refused('not-found', 'There is no such person, or not any more.');
    if (leave.coverId === personId) throw new Refused('wrong-input', `${person.name} cannot cover their own leave.`);
    const cover = leave.coverId && (await maybeRow<{ name: string }>(client, GET_PERSON_NAME, [leave.coverId]));
    if (leave.coverId && !cover) throw new Refused('wrong-input', `There is no person ${leave.coverId}.`);
    const other = await maybeRow<{ from_on: string; to_on: string }>(client, GET_OVERLAPPING, [personId, leave.from, leave.to]);
    if (other)
      throw new Refused(
        'conflict',
        `${person.name} is on leave from ${tellDate(dayOf(other.from_on))} to ${tellDate(dayOf(other.to_on))}` +
          ' already; take that away first. Nothing was changed.',
      );
    const { id } = await oneRow<{ id: string }>(client, INSERT_LEAVE, [personId, leave.from, leave.to, leave.coverId]);
    await follow(client, deps, personId, byWhom, { from: null, to: tellLeave(leave, cover ? cover.name : null) });
    return id;
  });
}

const DELETE_LEAVE = `
delete
from leaves l
where l.id = $1::bigint
  and l.person_id = $2::bigint
returning l.from_on, l.to_on, (select c.name from people c where c.id = l.cover_id) as cover
`;

export async function removeLeave(deps: Deps, personId: string, leaveId: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const gone = await maybeRow<{ from_on: string; to_on: string; cover: string | null }>(client, DELETE_LEAVE, [leaveId, personId]);
    if (!gone) throw new Refused('not-found', 'This leave is not there any more.');
    await follow(client, deps, personId, byWhom, { from: tellLeave({ from: gone.from_on, to: gone.to_on }, gone.cover), to: null });
  });
}
