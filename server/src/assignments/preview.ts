import {
  dateOf, dayOf, missingValues, msOfTime, rehearse, standingAt, tellAmount, tellDay, tellMoment, Zone, DAY_MS,
  type Assignment, type Instant, type Person, type PlanStep, type RehearsalLine, type Roster,
} from '@nudrik/core'; // prettier-ignore
import type { AssignPreview, AssignRequest, PreviewNotice, PreviewPerson } from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { mergeValues } from '../messages/compose.ts';
import { listCourseFacts, listPlanFacts, type AssignmentFacts, type CourseFacts, type Facts, type PlanFacts } from '../notices/facts.ts';
import { getHouse, loadRoster, type House } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';

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
where (p.id = any($1::bigint[]) or p.department_id in (select departments_under($2::text[])) or s.name = any($3::text[]) or exists (select 1 from group_members g where g.person_id = p.id and g.group_id = any($6::bigint[])))
  and (p.left_on is null or p.left_on > $5::date)
order by p.name, p.id
`;

/** @throws Refused when the course has nothing to finish, nobody is left to assign to, or a due date has passed */
export async function draftAssignments(db: Queryable, request: AssignRequest, now: Instant): Promise<AssignDraft> {
  const house = await getHouse(db);
  const [course] = await listCourseFacts(db, [request.courseId]);
  const [plan] = await listPlanFacts(db, [request.courseId]);
  if (!course || !plan) throw new Refused('not-found', `There is no course ${request.courseId}.`);
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
        `The due date ${tellMoment(dueAt, zone)} has passed: it is ${tellMoment(now, zone)} for ${row.name}. Expected a later date; nothing was assigned.`,
      );
    if (dueAt <= assignedAt)
      throw new Refused(
        'wrong-input',
        `${row.name} joins on ${tellDay(dayOf(row.joined_on!))}, after the due date ${tellMoment(dueAt, zone)}. Expected a later date; nothing was assigned.`,
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
    };
  });
  const already = chosen
    .filter((row) => row.open_id !== null)
    .map((row) => ({ id: row.id, name: row.name, due: tellMoment(row.due_at!.getTime(), Zone.of(row.zone)) }));
  return { house, course, title: course.title, plan, roster, assignments, already, notJoined };
}

/** How far ahead a preview looks. */
const HORIZON_MS = 200 * DAY_MS;
/** How many people a preview names; the counts are over all. */
const NAMED = 250;

export function previewNotice(line: RehearsalLine, step: PlanStep, person: Person, roster: Roster): PreviewNotice {
  const addressee = roster.person(line.person);
  const zone = roster.calendarOf(addressee ?? person).zone;
  return {
    step: step.id,
    stepName: step.name,
    kind: step.kind,
    to: line.to,
    occurrence: line.occurrence,
    addressee: addressee && addressee.id !== person.id ? addressee.name : null,
    at: line.at === null ? null : new Date(line.at).toISOString(),
    local: line.at === null ? null : tellMoment(line.at, zone),
    zone: zone.name,
    outcome: line.outcome,
    held: line.held,
    because: line.because,
    sentence: line.sentence,
  };
}

/** Real people with each step's moment, from the core that will send. */
export function previewPeople(
  assignments: readonly Assignment[],
  steps: readonly PlanStep[],
  publishedAt: Instant,
  roster: Roster,
  from: Instant,
  now = from,
): { people: PreviewPerson[]; lines: RehearsalLine[] } {
  const stepOf = new Map(steps.map((step) => [step.id, step]));
  const courses = [...new Set(assignments.map((assignment) => assignment.course))];
  const lines = rehearse({
    from,
    until: from + HORIZON_MS,
    roster,
    assignments,
    plans: courses.map((course) => ({ course, publishedAt, steps: steps.filter((step) => step.on) })),
  });
  const linesOf = new Map<string, RehearsalLine[]>();
  for (const line of lines) {
    const list = linesOf.get(line.assignment);
    if (list) list.push(line);
    else linesOf.set(line.assignment, [line]);
  }
  const people = assignments.slice(0, NAMED).map((assignment): PreviewPerson => {
    const person = roster.getPerson(assignment.person);
    const calendar = roster.calendarOf(person);
    const { dueAt } = standingAt(assignment, now);
    const leave = person.leave.find(
      ({ from: first, to }) => dayOf(first) <= calendar.zone.dayAt(dueAt) && dayOf(to) >= calendar.zone.dayAt(now),
    );
    return {
      id: person.id,
      name: person.name,
      site: person.site ?? '',
      zone: calendar.zone.name,
      due: tellMoment(dueAt, calendar.zone),
      dueAt: new Date(dueAt).toISOString(),
      note:
        assignment.assignedAt > now
          ? `joins ${tellDay(calendar.zone.dayAt(assignment.assignedAt))}`
          : leave
            ? `on leave to ${tellDay(dayOf(leave.to))}`
            : !person.isReachable
              ? 'mail comes back'
              : null,
      notices: (linesOf.get(assignment.id) ?? []).map((line) => previewNotice(line, stepOf.get(line.step)!, person, roster)),
    };
  });
  return { people, lines };
}

/** Merge fields that would stay empty, by step: each would hold that notice. */
export function missingByStep(
  assignments: readonly AssignmentFacts[],
  steps: readonly PlanStep[],
  facts: Facts,
  baseUrl: string,
  now: Instant,
): AssignPreview['missing'] {
  const found = new Map<string, { step: string; field: string; people: string[] }>();
  for (const assignment of assignments) {
    const person = facts.roster.getPerson(assignment.person);
    const recipient = { person, address: person.email, path: [] };
    const values = {
      ...mergeValues(assignment, recipient, facts, { baseUrl, certificates: new Map(), lastNotice: new Map() }, now),
      // what finishing brings is not missing before
      finished: 'then',
      'certificate serial': 'then',
      'certificate expiry': 'then',
    };
    for (const step of steps) {
      if (!step.on) continue;
      for (const field of missingValues(step.message, values)) {
        const key = `${step.id}/${field}`;
        const entry = found.get(key);
        if (entry) entry.people.push(person.name);
        else found.set(key, { step: step.name, field, people: [person.name] });
      }
    }
  }
  return [...found.values()];
}

/** What assigning would do, for these very people; nothing is stored. */
export async function previewAssign(deps: Deps, request: AssignRequest): Promise<AssignPreview> {
  const now = deps.clock.now();
  const draft = await draftAssignments(deps.db, request, now);
  const { people, lines } = previewPeople(draft.assignments, draft.plan.steps, draft.plan.publishedAt, draft.roster, now);
  const facts: Facts = {
    house: draft.house,
    roster: draft.roster,
    assignments: new Map(),
    courses: new Map([[draft.course.id, draft.course]]),
    plans: new Map(),
  };
  const byDay = new Map<string, number>();
  const house = Zone.of(draft.house.zone);
  for (const line of lines) {
    if (line.outcome !== 'send') continue;
    const day = dateOf(house.dayAt(line.at!));
    byDay.set(day, (byDay.get(day) ?? 0) + 1);
  }
  const off = draft.plan.steps.filter((step) => !step.on).map((step) => `“${step.name}”`);
  const warnings = [
    off.length > 0 ? `${off.join(', ')} ${off.length === 1 ? 'is' : 'are'} switched off in this plan.` : '',
    draft.notJoined > 0
      ? `${tellAmount(draft.notJoined, 'people')} of these ${draft.notJoined === 1 ? 'has' : 'have'} not joined yet: assigned, and welcomed, on the first morning.`
      : '',
  ].filter(Boolean);
  const title = await maybeRow<{ id: string; title: string }>(deps.db, 'select id, title from courses where id = $1::bigint', [
    request.courseId,
  ]);
  return {
    course: title!,
    count: draft.assignments.length,
    people,
    already: draft.already,
    missing: missingByStep(draft.assignments, draft.plan.steps, facts, deps.settings.baseUrl, now),
    byDay: [...byDay].map(([day, count]) => ({ day, count })).sort((a, b) => (a.day < b.day ? -1 : 1)),
    warnings,
  };
}
