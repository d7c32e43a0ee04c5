import { chainOf, dayOf, ROSTER_FIELDS, tellDate, type Person, type RosterPerson, type RosterRow, type RowChange } from '@nudrik/core';
import type { PersonChange } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { releaseAddress } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { listRoster } from './people.repo.ts';
import { getHouse } from '../house/house.ts';
import { loadRoster } from './roster.repo.ts';
import { setReach } from './reach.ts';
import { houseToday } from './today.ts';
import { writeRoster, type ChangeKind } from './write-roster.ts';

interface Named {
  id: string;
  name: string;
  email: string;
}

const GET_PERSON = 'select id, name, email from people where id = $1::bigint';

const nameOf = (client: Client, id: string): Promise<Named | null> => maybeRow<Named>(client, GET_PERSON, [id]);

const GET_SITE_NAME = 'select name from sites where id = $1::bigint';

/** A person's row as it would be after a change, with everything checked that the roster asks for. */
async function rowAfter(client: Client, was: RosterPerson | null, change: PersonChange): Promise<RosterRow> {
  const other = async (column: 'email' | 'personnel_number' | 'chat_name', value: string): Promise<string | null> =>
    (
      await maybeRow<{ name: string }>(
        client,
        `select name from people where lower(${column}) = lower($1::text) and id is distinct from $2::bigint limit 1`,
        [value, was?.id ?? null],
      )
    )?.name ?? null;
  const email = change.email?.toLowerCase();
  const holder = email && (await other('email', email));
  if (holder) throw new Refused('conflict', `${email} is the address of ${holder}; each person needs an address of their own.`);
  const numbered = change.personnelNumber && (await other('personnel_number', change.personnelNumber));
  if (numbered)
    throw new Refused('conflict', `${change.personnelNumber} is the personnel number of ${numbered}; each person needs their own.`);
  const chatting = change.chatName && (await other('chat_name', change.chatName));
  if (chatting) throw new Refused('conflict', `${change.chatName} is the chat name of ${chatting}; each person needs their own.`);
  let site = was?.site ?? '';
  if (change.siteId !== undefined) {
    const found = await maybeRow<{ name: string }>(client, GET_SITE_NAME, [change.siteId]);
    if (!found) throw new Refused('wrong-input', `There is no site ${change.siteId}.`);
    site = found.name;
  }
  let managerEmail = was?.managerEmail ?? null;
  if (change.managerId !== undefined) {
    const manager = change.managerId === null ? null : await nameOf(client, change.managerId);
    if (change.managerId !== null && !manager) throw new Refused('wrong-input', `There is no person ${change.managerId}.`);
    if (was && manager) await refuseLoop(client, was, manager);
    managerEmail = manager?.email ?? null;
  }
  const row: RosterRow = {
    personnelNumber: change.personnelNumber !== undefined ? change.personnelNumber : (was?.personnelNumber ?? null),
    name: change.name ?? was?.name ?? '',
    email: email ?? was?.email ?? '',
    department: change.department ?? was?.department ?? '',
    site,
    job: change.job !== undefined ? change.job : (was?.job ?? null),
    language: change.language !== undefined ? change.language : (was?.language ?? null),
    chatName: change.chatName !== undefined ? change.chatName : (was?.chatName ?? null),
    managerEmail,
    joinedOn: change.joinedOn !== undefined ? change.joinedOn : (was?.joinedOn ?? null),
    leftOn: change.leftOn !== undefined ? change.leftOn : (was?.leftOn ?? null),
  };
  for (const [field, value] of [
    ['name', row.name],
    ['email', row.email],
    ['department', row.department],
    ['siteId', row.site],
  ] as const)
    if (value === '') throw new Refused('wrong-input', `${field}: expected a value; got nothing. Nothing was changed.`);
  if (row.joinedOn && row.leftOn && row.leftOn < row.joinedOn)
    throw new Refused(
      'wrong-input',
      `${row.name} would leave on ${tellDate(dayOf(row.leftOn))}, before joining on ${tellDate(dayOf(row.joinedOn))}. Nothing was changed.`,
    );
  return row;
}

/** Refuses a manager under whom the chain would run in a circle, naming the circle. */
async function refuseLoop(client: Client, person: RosterPerson, manager: Named): Promise<void> {
  if (manager.id === person.id) throw new Refused('conflict', `${person.name} would be their own manager; nothing was changed.`);
  const roster = await loadRoster(client, [manager.id], [], (await getHouse(client)).sending);
  const self: Person = roster.getPerson(manager.id);
  const above = [self, ...chainOf(self, roster).chain];
  const at = above.findIndex(({ id }) => id === person.id);
  if (at >= 0)
    throw new Refused(
      'conflict',
      `The managers would run in a circle: ${[person.name, ...above.slice(0, at + 1).map(({ name }) => name)].join(' → ')}. Nothing was changed.`,
    );
}

const differences = (was: RosterRow, now: RosterRow): RowChange['changes'] =>
  ROSTER_FIELDS.filter((field) => was[field] !== now[field]).map((field) => ({ field, from: was[field], to: now[field] }));

function kindFor(was: RosterRow, now: RosterRow): ChangeKind {
  if (was.leftOn === null && now.leftOn !== null) return 'left';
  if (was.leftOn !== null && now.leftOn === null) return 'returned';
  return 'changed';
}

const LOCK_PERSON = 'select erased_at from people where id = $1::bigint for update';
const FREE = {
  email: "update people set address_state = 'ok', address_words = null where id = $1::bigint",
  chatName: "update people set chat_state = 'ok', chat_words = null where id = $1::bigint",
};

/** Changes what the roster knows of a person; what waited for that goes on, and what hangs on it is looked at again. */
export async function changePerson(deps: Deps, id: string, change: PersonChange, byWhom: string): Promise<void> {
  const today = await houseToday(deps);
  await transaction(deps.db, async (client) => {
    const locked = await maybeRow<{ erased_at: Date | null }>(client, LOCK_PERSON, [id]);
    if (!locked) throw new Refused('not-found');
    if (locked.erased_at)
      throw new Refused('conflict', 'This person was erased: nothing is known of them any more, and nothing can be entered.');
    const was = (await listRoster(client, id))[0]!;
    const person = await rowAfter(client, was, change);
    const changes = differences(was, person);
    const kind = kindFor(was, person);
    await writeRoster(client, changes.length ? [{ row: null, id, person, changes }] : [], () => kind, {
      at: deps.clock.now(),
      byWhom,
      today,
    });
    // an address that bounced, or a chat name that was refused, and is entered again as it is: somebody says that it works
    for (const field of ['email', 'chatName'] as const) {
      if (change[field] === undefined || changes.some((other) => other.field === field)) continue;
      await client.query(FREE[field], [id]);
      await releaseAddress(client, id, deps.clock.now());
    }
    await setReach(client, id, change, { at: deps.clock.now(), byWhom });
    await announce(client, 'people', 'work');
  });
}

/** Adds somebody by hand. */
export async function addPerson(deps: Deps, change: PersonChange, byWhom: string): Promise<string> {
  const today = await houseToday(deps);
  return transaction(deps.db, async (client) => {
    const person = await rowAfter(client, null, change);
    const { ids } = await writeRoster(client, [{ row: null, id: null, person, changes: [] }], () => 'added', {
      at: deps.clock.now(),
      byWhom,
      today,
    });
    await setReach(client, ids[0]!, change, { at: deps.clock.now(), byWhom });
    return ids[0]!;
  });
}
