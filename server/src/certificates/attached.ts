import type { Assignment, PlanStep } from '@nudrik/core';
import { maybeRow, type Queryable } from '../db/db.ts';
import type { Letter } from '../messages/channel.ts';
import { certificatePdf } from './certificates.repo.ts';

const FIND_SERIAL = `
select serial
from standing_certificates
where assignment_id = $1::bigint
  and revoked_at is null
`;

/** The certificates that come with a message, as their PDFs: of each of its steps that asks for that, where there is one of ours that holds. */
export async function attachedCertificates(
  db: Queryable,
  notices: readonly { step: Pick<PlanStep, 'message'>; assignment: Pick<Assignment, 'id'> }[],
  baseUrl: string,
): Promise<NonNullable<Letter['files']>> {
  const asked = notices.filter(({ step }) => step.message.withCertificate);
  const files: NonNullable<Letter['files']>[number][] = [];
  for (const id of new Set(asked.map(({ assignment }) => assignment.id))) {
    const found = await maybeRow<{ serial: string }>(db, FIND_SERIAL, [id]);
    const content = found && (await certificatePdf(db, found.serial, baseUrl));
    if (content) files.push({ name: `certificate-${found.serial}.pdf`, type: 'application/pdf', content });
  }
  return files;
}
