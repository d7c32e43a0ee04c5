import { dateOf, dayOf, Zone, type AssignmentEvent } from '@nudrik/core';
import { record } from '../assignments/record.ts';
import { issueCertificate } from '../certificates/certificates.repo.ts';
import { oneRow, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';

export interface Finishing {
  id: string;
  /** of the employee */
  zone: string;
  /** what else happened in that moment, before it */
  with?: readonly AssignmentEvent[];
}

const GET_COURSE = 'select validity_months, version, certificate from courses where id = $1::bigint';

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
  const course = await oneRow<{ validity_months: number | null; version: number; certificate: string | null }>(client, GET_COURSE, [
    courseId,
  ]);
  await record(
    client,
    list.flatMap(({ id, with: also = [] }) =>
      [...also, { type: 'finished', at: now, version: course.version } as const].map((event) => ({ assignment: id, event })),
    ),
    { byWhom },
  );
  if (course.certificate === 'none') return;
  const issued = [];
  for (const { id, zone: name } of list) {
    const zone = Zone.of(name);
    const { serial, expiresOn } = await issueCertificate(
      client,
      id,
      dateOf(zone.dayAt(now)),
      course.validity_months,
      deps.settings.baseUrl,
    );
    // the day on which it runs out begins where its holder is
    const expiresAt = expiresOn === null ? null : zone.toInstant(dayOf(expiresOn), 0);
    issued.push({ assignment: id, event: { type: 'certificate-issued', at: now, serial, expiresAt } as const });
  }
  await record(client, issued, { byWhom: 'Nudrik' });
}
