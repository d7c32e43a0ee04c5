import type { PersonChange } from '@nudrik/contract';
import { chainOf, type Person } from '@nudrik/core';
import { announce, maybeRow, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/plan.ts';
import { releaseAddress, releaseHeld } from '../notices/release.repo.ts';
import { Refused } from '../refusal.ts';
import { listOpenAssignmentsAround } from './people.repo.ts';
import { getHouse, loadRoster } from './roster.repo.ts';

/** Corrects an address or names a manager; what waited for that goes on. */
export async function changePerson(deps: Deps, id: string, change: PersonChange): Promise<void> {
  await transaction(deps.db, async (client) => {
    const person = await maybeRow<{ email: string; name: string }>(
      client,
      'select email, name from people where id = $1::bigint for update',
      [id],
    );
    if (!person) throw new Refused('not-found');
    const now = deps.clock.now();
    if (change.email !== undefined) {
      const email = change.email.toLowerCase();
      const other = await maybeRow<{ name: string }>(client, 'select name from people where email = $1::text and id <> $2::bigint', [
        email,
        id,
      ]);
      if (other) throw new Refused('conflict', `${email} is the address of ${other.name}; each person needs an address of their own.`);
      await client.query("update people set email = $2::text, address_state = 'ok', address_words = null where id = $1::bigint", [
        id,
        email,
      ]);
      await releaseAddress(client, id, now);
    }
    if (change.managerId !== undefined) {
      await client.query('update people set manager_id = $2::bigint where id = $1::bigint', [id, change.managerId]);
      if (change.managerId !== null) {
        const roster = await loadRoster(client, [id, change.managerId], [], (await getHouse(client)).sending);
        if (!roster.person(change.managerId)) throw new Refused('wrong-input', `managerId: there is no person ${change.managerId}.`);
        const self: Person = roster.getPerson(id);
        if (chainOf(self, roster).loop)
          throw new Refused(
            'conflict',
            `${roster.getPerson(change.managerId).name} reports to ${person.name}, directly or up the line: the managers would run in a circle.`,
          );
      }
    }
    const around = await listOpenAssignmentsAround(client, [change.email?.toLowerCase() ?? person.email]);
    await releaseHeld(client, around, now);
    await requestReplan(client, around);
    await announce(client, 'people', 'work');
  });
}
