import { dateOf, dayOf, Zone, type AssignmentEvent } from '@nudrik/core';
import type { LearningView, MyTraining } from '@nudrik/contract';
import { signedToken } from '../access/personal-link.ts';
import { maybeRow, oneRow, rows, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findIdByLink, lockAssignment } from '../assignments/assignments.repo.ts';
import { record } from '../assignments/record.ts';
import { issueCertificate } from '../certificates/certificates.repo.ts';
import { listSections } from '../courses/courses.repo.ts';
import { ASSIGNMENT_COLUMNS, certificateWord, finishedOf, progressOf, stateOf, type AssignmentDbRow } from '../people/people.repo.ts';
import { Refused } from '../refusal.ts';

const FIND_LEARNING = `
select ${ASSIGNMENT_COLUMNS}, k.summary, a.units_done, a.closed_told, p.name as person, s.zone, o.name as trainer, h.organisation
from assignments a
join courses k on k.id = a.course_id
join people p on p.id = a.person_id
join sites s on s.id = p.site_id
left join people o on o.id = k.owner_id
left join certificates c on c.assignment_id = a.id
cross join settings h
where a.id = $1::bigint
`;

type LearningRow = AssignmentDbRow & {
  summary: string | null;
  units_done: string[];
  closed_told: string | null;
  person: string;
  zone: string;
  trainer: string | null;
  organisation: string;
};

const LIST_DONE = `
select data ->> 'unit' as unit, min(at) as at
from assignment_events
where assignment_id = $1::bigint
  and type = 'unit-finished'
group by 1
`;

/** What an employee sees behind the personal link. */
export async function findLearning(deps: Deps, link: string): Promise<LearningView> {
  const id = await findIdByLink(deps.db, deps.settings.key, link, deps.clock.now());
  const row = id && (await maybeRow<LearningRow>(deps.db, FIND_LEARNING, [id]));
  if (!row) throw new Refused('wrong-link');
  const doneAt = new Map((await rows<{ unit: string; at: Date }>(deps.db, LIST_DONE, [row.id])).map(({ unit, at }) => [unit, at]));
  const done = new Set(row.units_done);
  const sections = await listSections(deps.db, row.course_id);
  return {
    person: row.person,
    organisation: row.organisation,
    trainer: row.trainer,
    course: { title: row.title, summary: row.summary },
    assignedAt: row.assigned_at.toISOString(),
    dueAt: row.due_at.toISOString(),
    zone: row.zone,
    state: stateOf(row, deps.clock.now()),
    ...finishedOf(row),
    closedReason: row.closed_told,
    ...progressOf(row),
    // what has nothing in it is nothing to an employee
    sections: sections
      .filter(({ units }) => units.length > 0)
      .map((section) => ({
        title: section.title,
        units: section.units.map((unit) => ({
          id: unit.id!,
          kind: unit.kind,
          title: unit.title,
          required: unit.required,
          body: unit.body,
          url: unit.url,
          file: unit.file && { name: unit.file.name, bytes: unit.file.bytes },
          doneAt: done.has(unit.id!) ? (doneAt.get(unit.id!)?.toISOString() ?? row.assigned_at.toISOString()) : null,
        })),
      })),
    certificate: row.serial ? { serial: row.serial, expiresOn: row.expires_on } : null,
  };
}

/** Who it is that acts: somebody who is signed in, or whoever has the personal link. */
const actor = (name: string, personId: string, signedIn: string | null): string =>
  signedIn === personId ? name : `${name}, by personal link`;

/** Notes that the course was opened; the first time it is "started". */
export async function startLearning(deps: Deps, link: string, signedIn: string | null = null): Promise<void> {
  await transaction(deps.db, async (client) => {
    const id = await findIdByLink(client, deps.settings.key, link, deps.clock.now());
    if (!id) throw new Refused('wrong-link');
    const assignment = (await lockAssignment(client, id))!;
    if (assignment.started_at || assignment.closed_by) return;
    const now = deps.clock.now();
    if (now < assignment.assigned_at.getTime()) return;
    await record(client, [{ assignment: id, event: { type: 'started', at: now } }], {
      byWhom: actor(assignment.person_name, assignment.person_id, signedIn),
    });
  });
}

const GET_UNIT_OF_COURSE = `
select u.id
from units u
join sections s on s.id = u.section_id
where u.id = $1::bigint
  and s.course_id = $2::bigint
`;
const GET_COURSE = 'select required_units, validity_months, version from courses where id = $1::bigint';

/**
 * Marks a unit done. With the last required one the assignment is finished, certified, and what was planned for it is
 * cancelled, all in one transaction.
 */
export async function markUnitDone(
  deps: Deps,
  link: string,
  unitId: string,
  signedIn: string | null = null,
): Promise<{ finished: boolean }> {
  return transaction(deps.db, async (client) => {
    const id = await findIdByLink(client, deps.settings.key, link, deps.clock.now());
    if (!id) throw new Refused('wrong-link');
    const assignment = (await lockAssignment(client, id))!;
    if (assignment.closed_by === 'finished') return { finished: true };
    if (assignment.closed_by) throw new Refused('conflict', `This course is no longer asked of you: it was ${assignment.closed_by}.`);
    const unit = await maybeRow<{ id: string }>(client, GET_UNIT_OF_COURSE, [unitId, assignment.course_id]);
    if (!unit) throw new Refused('not-found', 'This unit is no longer part of the course. Load the page again.');
    const now = deps.clock.now();
    const isNew = !assignment.units_done.includes(unitId);
    const done = isNew ? [...assignment.units_done, unitId] : assignment.units_done;
    const course = await oneRow<{ required_units: string[]; validity_months: number | null; version: number }>(client, GET_COURSE, [
      assignment.course_id,
    ]);
    const finished = course.required_units.every((required) => done.includes(required));
    const by = { byWhom: actor(assignment.person_name, assignment.person_id, signedIn) };
    const own: AssignmentEvent[] = [
      ...(isNew ? [{ type: 'unit-finished', at: now, unit: unitId } as const] : []),
      ...(finished ? [{ type: 'finished', at: now, version: course.version } as const] : []),
    ];
    await record(
      client,
      own.map((event) => ({ assignment: id, event })),
      by,
    );
    if (finished) {
      const zone = Zone.of(assignment.zone);
      const issuedOn = dateOf(zone.dayAt(now));
      const { serial, expiresOn } = await issueCertificate(client, id, issuedOn, course.validity_months, deps.settings.baseUrl);
      // the day on which it runs out begins where its holder is
      const expiresAt = expiresOn === null ? null : zone.toInstant(dayOf(expiresOn), 0);
      await record(client, [{ assignment: id, event: { type: 'certificate-issued', at: now, serial, expiresAt } }], { byWhom: 'Nudrik' });
    }
    return { finished };
  });
}

const LIST_MINE = `
select ${ASSIGNMENT_COLUMNS}, a.token
from assignments a
join courses k on k.id = a.course_id
left join certificates c on c.assignment_id = a.id
where a.person_id = $1::bigint
  and a.closed_by is distinct from 'withdrawn'
order by a.closed_by is not null, a.due_at
`;

const GET_PERSON = 'select p.name, s.zone from people p join sites s on s.id = p.site_id where p.id = $1::bigint';

/** What somebody who signed in has to learn and has learnt. */
export async function listMyTraining({ db, clock, settings }: Deps, personId: string, today: string): Promise<MyTraining> {
  const person = await oneRow<{ name: string; zone: string }>(db, GET_PERSON, [personId]);
  const found = await rows<AssignmentDbRow & { token: string }>(db, LIST_MINE, [personId]);
  return {
    person: person.name,
    zone: person.zone,
    assignments: found.map((row) => ({
      id: row.id,
      token: signedToken(settings.key, 'go', row.token),
      course: row.title,
      assignedAt: row.assigned_at.toISOString(),
      dueAt: row.due_at.toISOString(),
      state: stateOf(row, clock.now()),
      ...finishedOf(row),
      ...progressOf(row),
      certificate: row.serial ? { serial: row.serial, state: certificateWord(row, today), expiresOn: row.expires_on } : null,
    })),
  };
}
