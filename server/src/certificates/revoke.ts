import { record } from '../assignments/record.ts';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { Refused } from '../refusal.ts';
import { requestReconcile } from '../requirements/queue.ts';

const LOCK = `
select k.id, k.assignment_id, k.person_id, k.person_name, k.revoked_at, k.replaced_at,
  (
    select e.id
    from assignment_events e
    where e.assignment_id = k.assignment_id
      and e.type = 'certificate-issued'
      and not exists (select from assignment_events u where u.undoes = e.id)
    order by e.at desc, e.id desc
    limit 1
  ) as event_id
from certificates k
where k.serial = $1::text
for no key update of k
`;
const REVOKE = `
update certificates
set revoked_at = $2::timestamptz, revoked_by = $3::text, revoked_reason = $4::text
where id = $1::bigint
`;

/**
 * Revokes a certificate, with who did it and why. It is not taken for held any more: what it was good for is asked for again,
 * notices about its running out are cancelled, and whoever checks it is told.
 */
export async function revokeCertificate(deps: Deps, serial: string, reason: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const found = await maybeRow<{
      id: string;
      assignment_id: string;
      person_id: string;
      person_name: string;
      revoked_at: Date | null;
      replaced_at: Date | null;
      event_id: string | null;
    }>(client, LOCK, [serial]);
    if (!found) throw new Refused('not-found', 'There is no such certificate.');
    if (found.revoked_at) throw new Refused('conflict', `The certificate of ${found.person_name} is revoked already; nothing was changed.`);
    if (found.replaced_at)
      throw new Refused(
        'conflict',
        `Another certificate took the place of this one of ${found.person_name}: revoke that one. Nothing was changed.`,
      );
    const at = deps.clock.now();
    await client.query(REVOKE, [found.id, new Date(at), byWhom, reason]);
    // its issuing is taken back: what hangs on that falls away by the rules that everything goes by
    if (found.event_id) {
      await record(client, [{ assignment: found.assignment_id, event: { type: 'undone', at, event: found.event_id, reason } }], { byWhom });
    } else {
      await requestReplan(client, [found.assignment_id]);
      await requestReconcile(client, [found.person_id]);
      await announce(client, 'assignments');
    }
  });
}

// out of the way of another that may come for the same assignment
const REVOKE_ISSUED = `
update certificates k
set revoked_at = $2::timestamptz, revoked_by = $3::text, revoked_reason = 'what it was issued for was taken back', replaced_at = $2::timestamptz
from assignment_events e
where e.id = any($1::bigint[])
  and e.type = 'certificate-issued'
  and k.assignment_id = e.assignment_id
  and k.serial = e.data ->> 'serial'
  and k.revoked_at is null
`;

/** Revokes what was issued by events that are taken back. */
export const revokeIssuedBy = (db: Client, events: readonly string[], at: number, byWhom: string): Promise<unknown> =>
  db.query(REVOKE_ISSUED, [events, new Date(at), byWhom]);
