import { expiryOf, Zone, type Validity } from '@nudrik/core';
import type { AddCertificate, CertificateAdded } from '@nudrik/contract';
import { insertAct, touch, type NewAct } from '../assignments/acts.repo.ts';
import { recordInAct } from '../assignments/completions.ts';
import { record } from '../assignments/record.ts';
import { maybeRow, rows, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFileHead } from '../files/files.repo.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { issueCertificates } from './certificates.repo.ts';
import { issuedEvent } from './issued-event.ts';

const FIND_PERSON = 'select p.name, s.zone from people p join sites s on s.id = p.site_id where p.id = $1::bigint for share of p';
const FIND_COURSE = 'select title, state, validity from courses where id = $1::bigint';
// the newest that was finished on that day; one whose certificate stands first
const LIST_FINISHED = `
select a.id, k.id as certificate_id, k.serial, k.revoked_at
from assignments a
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join standing_certificates k on k.assignment_id = a.id
where a.person_id = $1::bigint
  and a.course_id = $2::bigint
  and a.closed_by = 'finished'
  and a.closed_because is distinct from 'undone'
  and coalesce(a.completed_on, (a.closed_at at time zone s.zone)::date) = $3::date
order by (k.id is not null and k.revoked_at is null) desc, a.round desc
for no key update of a
`;
const FIND_OPEN =
  'select id from assignments where person_id = $1::bigint and course_id = $2::bigint and closed_by is null for no key update';
const SET_ASIDE = 'update certificates set replaced_at = $2::timestamptz where id = $1::bigint';

interface Finished {
  id: string;
  certificate_id: string | null;
  serial: string | null;
  revoked_at: Date | null;
}

/**
 * Adds a certificate by hand: one of ours for a course that somebody finished, or one that others issued, with what shows it. Where
 * no completion of that day is on the record, it is recorded with it. All of it is one act, which can be taken back.
 */
export async function addCertificate(deps: Deps, request: AddCertificate, byWhom: string): Promise<CertificateAdded> {
  const { personId, courseId, finishedOn, reason, theirs } = request;
  const today = await houseToday(deps);
  const refuse = (words: string): never => {
    throw new Refused('wrong-input', `${words} Nothing was changed.`);
  };
  if (finishedOn > today) refuse('The day of finishing has not come yet; expected a day that has passed.');
  if (theirs?.expiresOn && theirs.expiresOn < finishedOn) refuse('It would run out before the course was finished; expected a later day.');
  return transaction(deps.db, async (client) => {
    const person = await maybeRow<{ name: string; zone: string }>(client, FIND_PERSON, [personId]);
    const course = await maybeRow<{ title: string; state: string; validity: Validity | null }>(client, FIND_COURSE, [courseId]);
    if (!person) throw new Refused('not-found', 'There is no such person on the roster.');
    if (!course) throw new Refused('not-found', 'There is no such course, or not any more.');
    if (course.state === 'draft') refuse(`${course.title} is not live yet: nobody can have finished it.`);
    if (theirs?.proofId && !(await findFileHead(client, theirs.proofId, ['proof'])))
      refuse('The proof is not there any more: choose its file again.');
    const found = await rows<Finished>(client, LIST_FINISHED, [personId, courseId, finishedOn]);
    const standing = found.find(({ serial, revoked_at }) => serial !== null && revoked_at === null);
    if (standing)
      throw new Refused('conflict', `${person.name} has a certificate for ${course.title} of that day: ${standing.serial}. Issue that one again, or revoke it first; nothing was changed.`); // prettier-ignore
    const at = deps.clock.now();
    const words = theirs
      ? `Recorded a certificate of ${theirs.issuer} for ${course.title} of ${person.name}.`
      : `Issued a certificate for ${course.title} to ${person.name} by hand.`;
    const act: NewAct = { kind: 'record', at, byWhom, reason, words };
    const { actId, assignmentId } = found[0]
      ? await ofFinished(client, act, found[0], at)
      : await ofRecorded(client, act, { personId, courseId, finishedOn, zone: person.zone }, theirs?.proofId ?? null);
    const certificate = {
      assignmentId,
      issuedOn: finishedOn,
      expiresOn: theirs ? theirs.expiresOn : expiryOf(finishedOn, course.validity),
      byWhom,
      ...(theirs ? { theirs } : {}),
    };
    const [issued] = await issueCertificates(client, courseId, [certificate], at, deps.settings.baseUrl);
    await record(client, [{ assignment: assignmentId, event: issuedEvent(issued!, Zone.of(person.zone), at, theirs?.issuer ?? null) }], { byWhom, act: actId }); // prettier-ignore
    return { serial: issued!.serial, words };
  });
}

/** For a completion that is on the record: one that was revoked makes room. */
async function ofFinished(
  client: Client,
  act: NewAct,
  { id, certificate_id }: Finished,
  at: number,
): Promise<{ actId: string; assignmentId: string }> {
  if (certificate_id !== null) await client.query(SET_ASIDE, [certificate_id, new Date(at)]);
  const actId = await insertAct(client, act);
  await touch(client, actId, [id], false);
  return { actId, assignmentId: id };
}

/** For one that is recorded with it; an open assignment of the course is finished by it. */
async function ofRecorded(
  client: Client,
  act: NewAct,
  completion: { personId: string; courseId: string; finishedOn: string; zone: string },
  proofId: string | null,
): Promise<{ actId: string; assignmentId: string }> {
  const open = await maybeRow<{ id: string }>(client, FIND_OPEN, [completion.personId, completion.courseId]);
  const { actId, assignments } = await recordInAct(client, act, [{ ...completion, openId: open?.id ?? null }], proofId);
  return { actId, assignmentId: assignments.get(`${completion.personId}/${completion.courseId}`)! };
}
