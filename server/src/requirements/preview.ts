import {
  addDays,
  type Calendar,
  compileAudience,
  dateOf,
  dayOf,
  dueFor,
  noRecord,
  standingOf,
  tellAmount,
  tellAudience,
  tellDate,
  tellDay,
  tellDueRule,
  tellValidity,
  type Validity,
  tellMoment,
  tellRequirement,
  whyNever,
  morningOf,
  Zone,
  type CourseRecord,
  type Requirement,
  type RequirementPerson,
  type RequirementStanding,
} from '@nudrik/core';
import type {
  Counted,
  PreviewedPerson,
  RequirementDraft,
  RequirementPeople,
  RequirementPreview,
  RequirementRow,
  RequirementView,
} from '@nudrik/contract';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { warningsOf } from '../plans/warnings.ts';
import { foresee, foreseenWarnings, missingByStep } from '../notices/foresee.ts';
import { foreseeOpenings, listCourseFacts, listPlanFacts, type AssignmentFacts, type Facts } from '../notices/facts.ts';
import { getHouse } from '../house/house.ts';
import { loadRoster } from '../people/roster.repo.ts';
import { Refused } from '../refusal.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import {
  findRequirementRow,
  listRequirementPeople,
  listRequirementRows,
  loadCalendars,
  loadNames,
  loadRecords,
  loadStructure,
  requirementOf,
  type RequirementDbRow,
} from './facts.ts';

/** People that a preview names; the counts are over all. */
const NAMED = 200;
/** How far ahead joiners are counted. */
const JOIN_DAYS = 60;

interface Looked {
  person: RequirementPerson;
  record: CourseRecord;
  calendar: Calendar;
  standing: RequirementStanding;
}

/** How a requirement stands to everyone. */
async function lookAtEveryone(db: Queryable, requirement: Requirement, now: number): Promise<Looked[]> {
  const people = await listRequirementPeople(db, null);
  const structure = await loadStructure(db, null);
  const records = await loadRecords(db, null, requirement.course);
  const calendars = await loadCalendars(db);
  const morning = (await getHouse(db)).sending.sendWindow.from;
  const matchers = new Map<string, ReturnType<typeof compileAudience>>();
  return people.map((person) => {
    const calendar = calendars.get(person.site)!;
    const today = dateOf(calendar.zone.dayAt(now));
    let matcher = matchers.get(today);
    if (!matcher) matchers.set(today, (matcher = compileAudience(requirement.audience, structure, today)));
    const record = records.get(person.id)?.get(requirement.course) ?? noRecord(requirement.course);
    return { person, record, calendar, standing: standingOf(requirement, matcher, { person, calendar, now, morning }, record) };
  });
}

const requirementFrom = (draft: RequirementDraft, id: string, switchedOnAt: number | null): Requirement => ({
  id,
  name: draft.name,
  course: draft.courseId,
  audience: draft.audience,
  due: draft.due,
  dueTime: draft.dueTime,
  graceDays: draft.graceDays,
  creditMonths: draft.creditMonths,
  renewal: draft.renewal,
  from: draft.from,
  until: draft.until,
  takesJoiners: draft.takesJoiners,
  whenOut: draft.whenOut,
  switchedOnAt,
});

function counted<T extends { person: RequirementPerson }>(
  list: readonly T[],
  siteOf: (id: string) => string,
  words: (entry: T) => string,
): Counted<PreviewedPerson> {
  const sorted = [...list].sort((a, b) => (a.person.name < b.person.name ? -1 : 1));
  return {
    count: list.length,
    people: sorted
      .slice(0, NAMED)
      .map((entry) => ({ id: entry.person.id, name: entry.person.name, site: siteOf(entry.person.site), words: words(entry) })),
  };
}

const hasReason = (record: CourseRecord, id: string): boolean =>
  record.open?.reasons.some(({ requirement }) => requirement === id) ?? false;

const GET_VALIDITY = 'select validity from courses where id = $1::bigint';

/** Everything that switching on, or changing, would do: to these very people, with their due dates, and which mails on which days. */
export async function previewRequirement(
  deps: Deps,
  id: string | null,
  draft: RequirementDraft,
  work: Work = AT_ONCE,
): Promise<RequirementPreview> {
  const { db } = deps;
  const now = deps.clock.now();
  const [course] = await listCourseFacts(db, [draft.courseId]);
  const [plan] = await listPlanFacts(db, [draft.courseId]);
  if (!course || !plan) throw new Refused('wrong-input', `There is no course ${draft.courseId}.`);
  const stored = id === null ? null : await findRequirementRow(db, id);
  const isOn = stored?.is_on ?? false;
  // not on yet: as if it were switched on now, so that nobody is left out for not having been in before
  const requirement = requirementFrom(draft, id ?? '0', isOn ? stored!.switched_on_at!.getTime() : null);
  await work.at(0, 3);
  const everyone = await lookAtEveryone(db, requirement, now);
  await work.at(1, 3);
  const names = await loadNames(db, [draft.audience]);
  const due = everyone.filter((entry) => entry.standing.kind === 'due');
  const dueOf = (entry: Looked): number => (entry.standing as Extract<RequirementStanding, { kind: 'due' }>).dueAt;
  const assigned = due.filter(({ record }) => record.open === null);
  const attached = due.filter(({ record }) => record.open !== null && !hasReason(record, requirement.id));
  const joining = everyone.filter(
    ({ standing, person, calendar }) =>
      standing.kind === 'waits' && standing.because === 'joins' && person.joinedOn! <= addDays(dateOf(calendar.zone.dayAt(now)), JOIN_DAYS),
  );
  const falling = everyone.filter(
    ({ standing, record }) => standing.kind === 'out' && standing.because !== 'left' && hasReason(record, requirement.id),
  );

  const house = await getHouse(db);
  const assignmentOf = ({ person }: Looked, assignedAt: number, dueAt: number): AssignmentFacts => ({
    id: person.id,
    person: person.id,
    course: course.id,
    assignedAt,
    dueAt,
    events: [],
    token: '',
    unitsDone: [],
    isClosed: false,
  });
  const morning = house.sending.sendWindow.from;
  const drafts = [
    ...assigned.map((entry) => assignmentOf(entry, now, dueOf(entry))),
    ...joining.map((entry) => {
      const at = morningOf(entry.person.joinedOn!, entry.calendar, morning);
      return assignmentOf(entry, at, dueFor(requirement, entry.person, entry.calendar, at).at);
    }),
  ];
  const roster = await loadRoster(
    db,
    drafts.map(({ person }) => person),
    [course],
    house.sending,
  );
  for (const assignment of drafts) foreseeOpenings(assignment, course, roster);
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
  const { lines, byDay, mails } = foresee({
    assignments: drafts,
    steps: plan.steps,
    publishedAt: plan.publishedAt,
    facts,
    from: now,
  });
  await work.at(2, 3);
  const missing = missingByStep(drafts, plan.steps, facts, now);
  const never = whyNever(draft.audience, { names, today: dateOf(Zone.of(house.zone).dayAt(now)) });
  const validity = await maybeRow<{ validity: Validity | null }>(db, GET_VALIDITY, [course.id]);
  return {
    words: tellRequirement(requirement, course.title, names),
    in: everyone.filter(({ standing }) => standing.kind !== 'out').length,
    assigned: counted(assigned, names.site, (entry) => (entry.standing as { because: string }).because),
    attached: counted(
      attached,
      names.site,
      (entry) =>
        'has it open, due ' +
        `${tellMoment(Math.min(entry.record.open!.dueAt, dueOf(entry)), entry.calendar.zone)}` +
        `${dueOf(entry) < entry.record.open!.dueAt ? `, moved from ${tellMoment(entry.record.open!.dueAt, entry.calendar.zone)}` : ''}`,
    ),
    staying: counted(
      due.filter(({ record }) => hasReason(record, requirement.id)),
      names.site,
      ({ record, calendar }) => `due ${tellMoment(record.open!.dueAt, calendar.zone)}`,
    ),
    covered: counted(
      everyone.filter(({ standing }) => standing.kind === 'covered'),
      names.site,
      ({ standing }) => tellStanding(standing),
    ),
    settled: counted(
      everyone.filter(({ standing }) => standing.kind === 'waived' || standing.kind === 'withdrawn'),
      names.site,
      ({ standing }) => tellStanding(standing),
    ),
    joining: counted(
      joining,
      names.site,
      ({ person, calendar }) =>
        `joins ${tellDay(dayOf(person.joinedOn!))}, ` +
        'due ' +
        `${tellMoment(dueFor(requirement, person, calendar, morningOf(person.joinedOn!, calendar, morning)).at, calendar.zone)}`,
    ),
    falling: counted(falling, names.site, ({ record, calendar }) => `has it open, due ${tellMoment(record.open!.dueAt, calendar.zone)}`),
    mails,
    byDay,
    warnings: [
      never === null ? '' : `Nobody can ever be in it: ${never}.`,
      course.required.length === 0
        ? `${course.title} has no required unit, so nobody could finish it. Add one before you switch this on.`
        : '',
      validity?.validity && !draft.renewal
        ? `Certificates of ${course.title} run out after ${tellValidity(validity.validity)}, ` +
          `and this requirement does not renew: whoever's runs out is not assigned again.`
        : '',
      ...foreseenWarnings(plan.steps, lines, house, false),
      ...missing.map(
        (gap) =>
          `“${gap.step}” uses ${gap.field}, and ` +
          `${gap.people.length === 1 ? `${gap.people[0]!} has` : `${gap.people.length} people have`} none: ` +
          `${gap.people.length === 1 ? 'that notice is' : 'those notices are'} held until it is filled in.`,
      ),
    ].filter(Boolean),
    found: warningsOf({ steps: plan.steps, assignments: drafts, roster, course, now, zone: house.zone, lines }),
  };
}

/** How a requirement stands to somebody, in words. */
export function tellStanding(standing: RequirementStanding): string {
  switch (standing.kind) {
    case 'covered':
      return `finished on ${tellDate(dayOf(standing.finishedOn))}${standing.until ? `, counts until ${tellDate(dayOf(standing.until))}` : ''}`;
    case 'waived':
      return standing.until ? `waived until ${tellDate(dayOf(standing.until))}` : 'waived';
    case 'withdrawn':
      return 'withdrawn by hand';
    case 'waits':
      return `${standing.because === 'joins' ? 'joins' : 'it begins'} on ${tellDay(dayOf(standing.until))}`;
    case 'due':
      return standing.because;
    default:
      return {
        left: 'has left',
        audience: 'not in the audience',
        'not-a-member': 'came after it was switched on',
        before: 'before its first day',
        ended: 'after its last day',
      }[standing.because];
  }
}

/** Who is in, who waits, who fell out, each with how it stands. */
export async function listStandings(deps: Deps, id: string): Promise<RequirementPeople> {
  const row = await findRequirementRow(deps.db, id);
  if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
  const now = deps.clock.now();
  const everyone = await lookAtEveryone(deps.db, requirementOf(row), now);
  const names = await loadNames(deps.db, []);
  const people = everyone.flatMap(({ person, record, calendar, standing }): RequirementPeople['people'] => {
    const { open } = record;
    const reason = open?.reasons.find(({ requirement }) => requirement === id);
    // who is not in while it is off is not left out: then it asks nobody
    const isLeftOut = row.is_on && standing.kind === 'out' && standing.because === 'not-a-member';
    if (standing.kind === 'out' && !reason && !isLeftOut) return [];
    const isLate = open !== null && open.dueAt < now;
    const word = reason?.isOut
      ? 'asks'
      : open && (reason || standing.kind === 'due')
        ? isLate
          ? 'late'
          : 'open'
        : standing.kind === 'waits'
          ? standing.because
          : isLeftOut
            ? 'not-asked'
            : standing.kind;
    const words = reason?.isOut
      ? `${tellStanding(standing)}, and has it open, due ${tellMoment(open!.dueAt, calendar.zone)}`
      : word === 'open' || word === 'late'
        ? `due ${tellMoment(open!.dueAt, calendar.zone)}${reason?.isKept ? ', kept by hand' : ''}`
        : tellStanding(standing);
    return [
      {
        id: person.id,
        name: person.name,
        department: names.department(person.department),
        site: names.site(person.site),
        zone: calendar.zone.name,
        standing: word,
        words,
        assignmentId: open && reason ? open.id : null,
        dueAt: open ? new Date(open.dueAt).toISOString() : null,
      },
    ];
  });
  people.sort((a, b) => (a.name < b.name ? -1 : 1));
  const counts: Record<string, number> = {};
  for (const { standing } of people) counts[standing] = (counts[standing] ?? 0) + 1;
  return { people, counts };
}

// late is exact to the moment: of the hour that is cut the rows themselves are looked at
const COUNT_OPEN = `
select
  f.of_id as id, coalesce(sum(f.count) filter (where f.what = 'reasons'), 0)::integer as open,
  (
    coalesce(sum(f.count) filter (where f.what = 'reasons' and f.at < hour_of($1::timestamptz)), 0)
    + (
      select count(*)
      from assignment_reasons r
      where r.requirement_id = f.of_id
        and r.open_due >= hour_of($1::timestamptz)
        and r.open_due < $1::timestamptz
    )
  )::integer as late,
  coalesce(sum(f.count) filter (where f.what = 'outside'), 0)::integer as asks
from figures_now f
where f.what in ('reasons', 'outside')
group by f.of_id
`;

interface AudienceCount {
  id: string;
  in: number;
  joining: number;
  notAsked: number;
}
const COUNT_AUDIENCES = `
select
  of_id as id, coalesce(sum(count) filter (where what = 'in' and at <= day_at($1::date)), 0)::integer as in,
  coalesce(sum(count) filter (where what = 'in' and at > day_at($1::date) and at <= day_at($1::date + 7)), 0)::integer as joining,
  coalesce(sum(count) filter (where what = 'passed-over'), 0)::integer as "notAsked"
from figures_now
where what in ('in', 'passed-over')
  and left_on > $1::date
group by of_id
`;
/** All requirements, those that are on first, each with its audience in words and how many are in. */
export async function listRequirements(deps: Deps): Promise<RequirementRow[]> {
  const { db } = deps;
  const now = deps.clock.now();
  const list = await listRequirementRows(db);
  const names = await loadNames(
    db,
    list.map(({ audience }) => audience),
  );
  const counts = new Map(
    (await rows<{ id: string; open: number; late: number; asks: number }>(db, COUNT_OPEN, [new Date(now)])).map((row) => [row.id, row]),
  );
  const today = dateOf(Zone.of((await getHouse(db)).zone).dayAt(now));
  const audiences = new Map((await rows<AudienceCount>(db, COUNT_AUDIENCES, [today])).map((row) => [row.id, row]));
  return list.map((row) => {
    const { open, late, asks } = counts.get(row.id) ?? { open: 0, late: 0, asks: 0 };
    const { in: isIn, joining, notAsked } = audiences.get(row.id) ?? { in: 0, joining: 0, notAsked: 0 };
    return {
      id: row.id,
      name: row.name,
      course: { id: row.course_id, title: names.course(row.course_id) },
      audience: tellAudience(row.audience, names),
      due: tellDueRule(row.due),
      renewal: row.renewal && `every ${tellAmount(row.renewal.months, 'months')}`,
      isOn: row.is_on,
      waits: row.on_with_course,
      switchedOnAt: row.switched_on_at?.toISOString() ?? null,
      changedAt: row.changed_at.toISOString(),
      changedBy: row.changed_by,
      in: isIn,
      open,
      late,
      asks,
      joining,
      notAsked,
      isCounted: row.is_counted,
    };
  });
}

export const draftOf = (row: RequirementDbRow): RequirementDraft => ({
  name: row.name,
  courseId: row.course_id,
  audience: row.audience,
  due: row.due,
  dueTime: row.due_time,
  graceDays: row.grace_days,
  creditMonths: row.credit_months,
  renewal: row.renewal,
  from: row.from_on,
  until: row.until_on,
  takesJoiners: row.takes_joiners,
  whenOut: row.when_out,
});

const GET_COURSE = 'select id, title, validity from courses where id = $1::bigint';
const LIST_REQUIREMENT_EVENTS = `
select at, by_whom as "byWhom", what, words
from requirement_events
where requirement_id = $1::bigint
order by id desc
limit 100
`;

export async function getRequirement(db: Queryable, id: string): Promise<RequirementView> {
  const row = await findRequirementRow(db, id);
  if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
  const course = await maybeRow<{ id: string; title: string; validity: Validity | null }>(db, GET_COURSE, [row.course_id]);
  const names = await loadNames(db, [row.audience]);
  return {
    ...draftOf(row),
    id: row.id,
    version: row.version,
    isOn: row.is_on,
    waits: row.on_with_course,
    switchedOnAt: row.switched_on_at?.toISOString() ?? null,
    changedAt: row.changed_at.toISOString(),
    changedBy: row.changed_by,
    course: course!,
    words: tellRequirement(requirementOf(row), course!.title, names),
    record: await rows(db, LIST_REQUIREMENT_EVENTS, [id]),
  };
}
