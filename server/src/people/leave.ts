import { dayOf, tellDate, tellLeave, tellLeaveDays } from '@nudrik/core';
import type { LeaveChange, LeaveDraft, MyLeaveView } from '@nudrik/contract';
import { announce, maybeRow, oneRow, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { releaseLeave } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from './today.ts';
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
  and id is distinct from $4::bigint
  and from_on <= coalesce($3::date, 'infinity')
  and coalesce(to_on, 'infinity') >= $2::date
order by from_on
limit 1
`;
const INSERT_LEAVE = `
insert into leaves (person_id, from_on, to_on, cover_id)
values ($1::bigint, $2::date, $3::date, $4::bigint)
returning id
`;

/** Of two spans of leave of one person nobody could say who covers. */
async function refuseOverlap(
  client: Client,
  personId: string,
  name: string,
  { from, to }: { from: string; to: string | null },
  except: string | null = null,
): Promise<void> {
  const other = await maybeRow<{ from_on: string; to_on: string | null }>(client, GET_OVERLAPPING, [personId, from, to, except]);
  if (!other) return;
  const days = tellLeaveDays({ from: other.from_on, to: other.to_on });
  throw new Refused('conflict', `${name} is on leave already (${days}); change that first. Nothing was changed.`);
}

/** Enters leave; notices to this person wait for its end, escalations to them go to the cover. */
export async function addLeave(deps: Deps, personId: string, leave: LeaveDraft, byWhom: string): Promise<string> {
  return transaction(deps.db, async (client) => {
    const person = await maybeRow<{ name: string }>(client, LOCK_PERSON, [personId]);
    if (!person) throw new Refused('not-found', 'There is no such person, or not any more.');
    if (leave.coverId === personId) throw new Refused('wrong-input', `${person.name} cannot cover their own leave.`);
    const cover = leave.coverId && (await maybeRow<{ name: string }>(client, GET_PERSON_NAME, [leave.coverId]));
    if (leave.coverId && !cover) throw new Refused('wrong-input', `There is no person ${leave.coverId}.`);
    await refuseOverlap(client, personId, person.name, leave);
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

const LOCK_LEAVE = `
select l.from_on, l.to_on, p.name, c.name as cover
from leaves l
join people p on p.id = l.person_id
left join people c on c.id = l.cover_id
where l.id = $1::bigint
  and l.person_id = $2::bigint
for update of l
`;
const SET_LEAVE_END = 'update leaves set to_on = $2::date where id = $1::bigint';

/** Enters the last day of leave, moves it, or leaves it open; what waits for it is decided again. */
export async function endLeave(deps: Deps, personId: string, leaveId: string, { to }: LeaveChange, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const leave = await maybeRow<{ from_on: string; to_on: string | null; name: string; cover: string | null }>(client, LOCK_LEAVE, [
      leaveId,
      personId,
    ]);
    if (!leave) throw new Refused('not-found', 'This leave is not there any more.');
    const from = leave.from_on;
    if (to !== null && to < from)
      throw new Refused(
        'wrong-input',
        `The leave begins on ${tellDate(dayOf(from))}; expected a last day that is not before. Nothing was changed.`,
      );
    if (to === leave.to_on) return;
    await refuseOverlap(client, personId, leave.name, { from, to }, leaveId);
    await client.query(SET_LEAVE_END, [leaveId, to]);
    const tell = (end: string | null): string => tellLeave({ from, to: end }, leave.cover);
    await follow(client, deps, personId, byWhom, { from: tell(leave.to_on), to: tell(to) });
  });
}

export async function removeLeave(deps: Deps, personId: string, leaveId: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const gone = await maybeRow<{ from_on: string; to_on: string | null; cover: string | null }>(client, DELETE_LEAVE, [leaveId, personId]);
    if (!gone) throw new Refused('not-found', 'This leave is not there any more.');
    await follow(client, deps, personId, byWhom, { from: tellLeave({ from: gone.from_on, to: gone.to_on }, gone.cover), to: null });
  });
}

const LIST_OWN = `
select l.id, l.from_on as "from", l.to_on as "to", c.name as cover
from leaves l
left join people c on c.id = l.cover_id
where l.person_id = $1::bigint
  and (l.to_on is null or l.to_on >= $2::date)
order by l.from_on, l.id
`;
// who may cover: those down the line, those beside, and whoever is above
const LIST_COVERS = `
select p.id, p.name
from people p
where p.id <> $1::bigint
  and is_here(p.left_on, $2::date)
  and (
    p.id in (select id from line_here($1::bigint, $2::date))
    or p.manager_id = (select manager_id from people where id = $1::bigint)
    or p.id = (select manager_id from people where id = $1::bigint)
  )
order by p.name, p.id
limit 500
`;

/** Somebody's own leave that goes on or is still to come, with who covers, and who may. */
export async function listOwnLeave(deps: Deps, personId: string): Promise<MyLeaveView> {
  const today = await houseToday(deps);
  const [leave, covers] = await Promise.all([
    rows<MyLeaveView['leave'][number]>(deps.db, LIST_OWN, [personId, today]),
    rows<MyLeaveView['covers'][number]>(deps.db, LIST_COVERS, [personId, today]),
  ]);
  return { leave, covers };
}

/** Enters one's own leave; who covers is one of those who may. */
export async function addOwnLeave(deps: Deps, personId: string, draft: LeaveDraft, byWhom: string): Promise<MyLeaveView> {
  const { covers } = await listOwnLeave(deps, personId);
  if (draft.coverId && !covers.some(({ id }) => id === draft.coverId))
    throw new Refused('not-allowed', 'Whoever covers is one of your line, beside you or above you. Nothing was changed.');
  await addLeave(deps, personId, draft, byWhom);
  return listOwnLeave(deps, personId);
}
