import { record } from '../assignments/record.ts';
import { announce, maybeRow, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { requestReplan } from '../notices/queue.ts';
import { Refused } from '../refusal.ts';
import { requestReconcile } from '../requirements/queue.ts';

const LOCK = `
select k.id, k.assignment_id, k.person_id, k.person_name, k.revoked_at,
  (
    select e.id
    from assignment_events e
    where e.assignment_id = k.assignment_id
      and e.type = 'certificate-issued'
      and e.data ->> 'serial' = k.serial
      and not exists (select from assignment_events u where u.undoes = e.id)
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
      event_id: string | null;
    }>(client, LOCK, [serial]);
    if (!found) throw new Refused('not-found', 'There is no such certificate.');
    if (found.revoked_at) throw new Refused('conflict', `The certificate of ${found.person_name} is revoked already; nothing was changed.`);
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
