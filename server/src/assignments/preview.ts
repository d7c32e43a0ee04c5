import {
  dateOf,
  dayOf,
  msOfTime,
  noRecord,
  standingOf,
  tellAmount,
  tellDate,
  tellDay,
  tellMoment,
  Zone,
  type Instant,
  type Roster,
} from '@nudrik/core';
import type { AssignPreview, AssignRequest } from '@nudrik/contract';
import { rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import {
  foreseeOpenings,
  listCourseFacts,
  listPlanFacts,
  type AssignmentFacts,
  type CourseFacts,
  type Facts,
  type PlanFacts,
} from '../notices/facts.ts';
import { warningsOf } from '../plans/warnings.ts';
import { foresee, foreseenWarnings, missingByStep } from '../notices/foresee.ts';
import { getHouse, type House } from '../house/house.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { listLive, listRequirementPeople, LiveSet, loadCalendars, loadRecords, loadStructure } from '../requirements/facts.ts';

/** Who would get which course when: worked out once, for the preview and for the assigning itself. */
export interface AssignDraft {
  house: House;
  course: CourseFacts;
  title: string;
  plan: PlanFacts;
  roster: Roster;
  /** new assignments, with the person's id as theirs until they are stored */
  assignments: AssignmentFacts[];
  already: { id: string; name: string; due: string }[];
  notJoined: number;
}

const LIST_CHOSEN = `
select p.id, p.joined_on, a.id as open_id, a.due_at, p.name, s.zone
from people p
join sites s on s.id = p.site_id
left join assignments a on a.person_id = p.id and a.course_id = $4::bigint and a.closed_by is null
where (
    p.id = any($1::bigint[])
    or p.department_id in (select departments_under($2::text[]))
    or s.name = any($3::text[])
    or exists (select 1 from group_members g where g.person_id = p.id and g.group_id = any($6::bigint[]))
  )
  and is_here(p.left_on, $5::date)
order by p.name, p.id
`;

/** @throws Refused when the course has nothing to finish, nobody is left to assign to, or a due date has passed */
export async function draftAssignments(db: Queryable, request: AssignRequest, now: Instant): Promise<AssignDraft> {
  const house = await getHouse(db);
  const [course] = await listCourseFacts(db, [request.courseId]);
  const [plan] = await listPlanFacts(db, [request.courseId]);
  if (!course || !plan) throw new Refused('not-found', `There is no course ${request.courseId}.`);
  if (course.state !== 'live')
    throw new Refused(
      'conflict',
      course.state === 'draft'
        ? `${course.title} is a draft: nobody can be asked for it before it goes live. Nothing was changed.`
        : `${course.title} is retired, and nobody new is asked for it. Nothing was changed.`,
    );
  if (course.required.length === 0)
    throw new Refused('conflict', `${course.title} has no required unit, so nobody could finish it. Add one before you assign it.`);
  const today = dateOf(Zone.of(house.zone).dayAt(now));
  const chosen = await rows<{
    id: string;
    joined_on: string | null;
    open_id: string | null;
    due_at: Date | null;
    name: string;
    zone: string;
  }>(db, LIST_CHOSEN, [request.personIds, request.departments, request.sites, request.courseId, today, request.groups]);
  if (chosen.length === 0)
    throw new Refused(
      'wrong-input',
      'Nobody on the roster was chosen: expected people who are here, or a department, site or group with somebody in it.',
    );

  const fresh = chosen.filter((row) => row.open_id === null);
  const roster = await loadRoster(
    db,
    fresh.map((row) => row.id),
    [course],
    house.sending,
  );
  let notJoined = 0;
  const assignments = fresh.map((row): AssignmentFacts => {
    const zone = Zone.of(row.zone);
    const dueAt = zone.toInstant(dayOf(request.dueOn), msOfTime(request.dueTime));
    // who has not joined yet is assigned on the first morning: the welcome comes when there is somebody to welcome
    const joins = row.joined_on === null ? 0 : zone.toInstant(dayOf(row.joined_on), msOfTime(house.sending.sendWindow.from));
    const assignedAt = Math.max(now, joins);
    if (joins > now) notJoined += 1;
    if (dueAt <= now)
      throw new Refused(
        'wrong-input',
        `The due date ${tellMoment(dueAt, zone, now)} has passed: ` +
          `it is ${tellMoment(now, zone, now)} for ${row.name}. Expected a later date; nothing was assigned.`,
      );
    if (dueAt <= assignedAt)
      throw new Refused(
        'wrong-input',
        `${row.name} joins on ${tellDay(dayOf(row.joined_on!), zone.dayAt(now))}, ` +
          `after the due date ${tellMoment(dueAt, zone, now)}. Expected a later date; nothing was assigned.`,
      );
    return {
      id: row.id,
      person: row.id,
      course: course.id,
      assignedAt,
      dueAt,
      events: [],
      token: '',
      unitsDone: [],
      isClosed: false,
      isByHand: assignedAt === now,
    };
  });
  for (const assignment of assignments) foreseeOpenings(assignment, course, roster);
  const already = chosen
    .filter((row) => row.open_id !== null)
    .map((row) => ({ id: row.id, name: row.name, due: tellMoment(row.due_at!.getTime(), Zone.of(row.zone), now) }));
  return { house, course, title: course.title, plan, roster, assignments, already, notJoined };
}

/** What assigning would do, for these very people; nothing is stored. */
export async function previewAssign(deps: Deps, request: AssignRequest): Promise<AssignPreview> {
  const now = deps.clock.now();
  const draft = await draftAssignments(deps.db, request, now);
  const { house, roster, course, plan } = draft;
  const standings = await standingsOf(deps.db, course.id, draft.assignments, now);
  // a requirement that asks for it earlier moves the date as soon as it is assigned
  const assignments = draft.assignments.map((assignment) => {
    const asked = standings.get(assignment.person)?.asked;
    return asked && asked.dueAt < assignment.dueAt ? { ...assignment, dueAt: asked.dueAt } : assignment;
  });
  const moved = new Map(
    draft.assignments.flatMap(({ person }, i) =>
      assignments[i]!.dueAt < draft.assignments[i]!.dueAt ? [[person, standings.get(person)!.asked!.name]] : [],
    ),
  );
  const facts: Facts = {
    house,
    roster,
    assignments: new Map(),
    courses: new Map([[course.id, course]]),
    plans: new Map(),
    handouts: new Map(),
    told: new Map(),
    went: new Map(),
  };
  const { people, lines, byDay, mails } = foresee({
    assignments,
    steps: plan.steps,
    publishedAt: plan.publishedAt,
    facts,
    from: now,
    noteOf: (person) => (moved.has(person) ? `“${moved.get(person)}” asks for it by then already` : null),
  });
  const covered = draft.assignments.flatMap(({ person }) => {
    const words = standings.get(person)?.covered;
    return words ? [{ id: person, name: roster.getPerson(person).name, words }] : [];
  });
  const { notJoined } = draft;
  return {
    course: { id: course.id, title: course.title },
    count: assignments.length,
    people,
    already: draft.already,
    covered,
    missing: missingByStep(assignments, plan.steps, facts, now),
    byDay,
    mails,
    warnings: [
      moved.size > 0 ? `A requirement asks ${tellAmount(moved.size, 'people')} of these for an earlier date already: that date holds.` : '',
      notJoined > 0
        ? `${tellAmount(notJoined, 'people')} of these ${notJoined === 1 ? 'has' : 'have'} not joined yet: assigned, and welcomed, on the first morning.`
        : '',
      ...foreseenWarnings(plan.steps, lines, house, true),
    ].filter(Boolean),
    found: warningsOf({ steps: plan.steps, assignments, roster, course, now, zone: house.zone, lines }),
  };
}

interface CourseStanding {
  /** the requirement that asks for the course by the earliest date */
  asked: { name: string; dueAt: number } | null;
  /** what they hold of the course already, in words */
  covered: string | null;
}

/** How the requirements that are on stand to people for one course, and what they hold of it. */
async function standingsOf(
  db: Queryable,
  courseId: string,
  assignments: readonly AssignmentFacts[],
  now: Instant,
): Promise<Map<string, CourseStanding>> {
  const ids = assignments.map(({ person }) => person);
  const people = await listRequirementPeople(db, ids);
  const live = new LiveSet(
    (await listLive(db)).filter(({ course }) => course === courseId),
    await loadStructure(db, ids),
  );
  const records = await loadRecords(db, ids, courseId);
  const calendars = await loadCalendars(db);
  const morning = (await getHouse(db)).sending.sendWindow.from;
  return new Map(
    people.map((person) => {
      const calendar = calendars.get(person.site)!;
      const today = dateOf(calendar.zone.dayAt(now));
      const record = records.get(person.id)?.get(courseId) ?? noRecord(courseId);
      const asked = live.on(today).flatMap(({ requirement, matcher }) => {
        const standing = standingOf(requirement, matcher, { person, calendar, now, morning }, record);
        return standing.kind === 'due' ? [{ name: requirement.name, dueAt: standing.dueAt }] : [];
      });
      const held = record.finishes.filter(({ isRevoked, expiresOn }) => !isRevoked && (expiresOn === null || expiresOn >= today)).at(-1);
      return [
        person.id,
        {
          asked: asked.sort((a, b) => a.dueAt - b.dueAt)[0] ?? null,
          covered: held
            ? `finished it on ${tellDate(dayOf(held.on))}${held.expiresOn ? `, which holds until ${tellDate(dayOf(held.expiresOn))}` : ''}`
            : null,
        },
      ];
    }),
  );
}
