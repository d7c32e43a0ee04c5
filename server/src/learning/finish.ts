import { dateOf, expiryOf, Zone, type AssignmentEvent, type Validity } from '@nudrik/core';
import { record } from '../assignments/record.ts';
import { issueCertificates } from '../certificates/certificates.repo.ts';
import { issuedEvent } from '../certificates/issued-event.ts';
import { oneRow, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';

export interface Finishing {
  id: string;
  /** of the employee */
  zone: string;
  /** what else happened in that moment, before it */
  with?: readonly AssignmentEvent[];
}

const GET_COURSE = 'select validity, version, certificate from courses where id = $1::bigint';

/** Finishes assignments of a course: the event, and the certificate where the course has one. In the caller's transaction. */
export async function finishAssignments(
  deps: Deps,
  client: Client,
  courseId: string,
  list: readonly Finishing[],
  byWhom: string,
): Promise<void> {
  if (list.length === 0) return;
  const now = deps.clock.now();
  const course = await oneRow<{ validity: Validity | null; version: number; certificate: string | null }>(client, GET_COURSE, [courseId]);
  await record(
    client,
    list.flatMap(({ id, with: also = [] }) =>
      // with what finished it: at that very moment
      [...also, { type: 'finished', at: also.at(-1)?.at ?? now, version: course.version } as const].map((event) => ({
        assignment: id,
        event,
      })),
    ),
    { byWhom },
  );
  if (course.certificate === 'none') return;
  const zones = list.map(({ zone }) => Zone.of(zone));
  const certificates = list.map(({ id }, i) => {
    const issuedOn = dateOf(zones[i]!.dayAt(now));
    return { assignmentId: id, issuedOn, expiresOn: expiryOf(issuedOn, course.validity), byWhom };
  });
  const issued = (await issueCertificates(client, courseId, certificates, now, deps.settings.baseUrl)).map((certificate, i) => ({
    assignment: list[i]!.id,
    event: issuedEvent(certificate, zones[i]!, now),
  }));
  await record(client, issued, { byWhom: 'Nudrik' });
}
