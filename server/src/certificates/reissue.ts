import { record } from '../assignments/record.ts';
import { maybeRow, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { issueCertificates } from './certificates.repo.ts';

const LOCK = `
select k.id, k.assignment_id, k.course_id, k.person_name, k.issued_on, k.expires_on, k.revoked_at, k.replaced_at, k.issuer, p.name
from certificates k
join people p on p.id = k.person_id
where k.serial = $1::text
for no key update of k
`;
interface Locked {
  id: string;
  assignment_id: string;
  course_id: string;
  person_name: string;
  issued_on: string;
  expires_on: string | null;
  revoked_at: Date | null;
  replaced_at: Date | null;
  issuer: string | null;
  name: string;
}
// out of the way first: one for an assignment stands
const SET_ASIDE = `
update certificates
set replaced_at = $2::timestamptz, replaced_by_whom = $3::text, replaced_reason = $4::text
where id = $1::bigint
`;
const NAME_NEXT = 'update certificates set replaced_by = $2::bigint where id = $1::bigint';
const END_LINK = `
update certificate_links
set ended_at = $2::timestamptz, ended_by = $3::text
where certificate_id = $1::bigint
  and ended_at is null
`;

/**
 * Issues a certificate again, with what it would print now (a new name, another design): the same days under a new serial. The
 * former stays on the record, says that it was replaced, and is shown to nobody by its holder's link any more.
 */
export async function reissueCertificate(deps: Deps, serial: string, reason: string, byWhom: string): Promise<{ serial: string }> {
  return transaction(deps.db, async (client) => {
    const found = await maybeRow<Locked>(client, LOCK, [serial]);
    if (!found) throw new Refused('not-found', 'There is no such certificate.');
    const refuse = (words: string): never => {
      throw new Refused('conflict', `${words} Nothing was changed.`);
    };
    if (found.issuer !== null) refuse(`${found.issuer} issued this certificate, not us: add the new one that they issue.`);
    if (found.revoked_at) refuse(`The certificate of ${found.person_name} is revoked.`);
    if (found.replaced_at) refuse(`Another certificate took the place of this one of ${found.person_name} already.`);
    const at = deps.clock.now();
    await client.query(SET_ASIDE, [found.id, new Date(at), byWhom, reason]);
    const certificate = { assignmentId: found.assignment_id, issuedOn: found.issued_on, expiresOn: found.expires_on, byWhom };
    const [issued] = await issueCertificates(client, found.course_id, [certificate], at, deps.settings.baseUrl);
    await client.query(NAME_NEXT, [found.id, issued!.id]);
    await client.query(END_LINK, [found.id, new Date(at), byWhom]);
    const event = { type: 'certificate-replaced', at, serial: issued!.serial, former: serial, reason } as const;
    await record(client, [{ assignment: found.assignment_id, event }], { byWhom });
    return { serial: issued!.serial };
  });
}
