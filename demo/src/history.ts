import {
  addMonths,
  Calendar,
  dateOf,
  dayOf,
  DAY_MS,
  drawQuiz,
  HOUR,
  MINUTE,
  msOfTime,
  scoreQuiz,
  serialFrom,
  type AssignmentEvent,
  type CalendarFacts,
  type Day,
  type Drawn,
  type Instant,
  type Quiz,
  type Scored,
  expiryOf,
  type Validity,
} from '@nudrik/core';
import { COURSES } from './courses.ts';
import { CAST, INTAKE_ON, START_ON, START_TIME, type Crew } from './orlasund.ts';
import { Random } from './random.ts';

/** One assignment of the past twelve months, with what the employee did. Notices are not made here: the rules make them. */
export interface PastAssignment {
  person: string;
  course: string;
  round: number;
  assignedAt: Instant;
  dueAt: Instant;
  events: AssignmentEvent[];
  unitsDone: string[];
  certificate: { serial: string; issuedOn: string; expiresOn: string | null } | null;
  attempts: PastAttempt[];
  assignedBy: string;
}

/** One attempt at a quiz, with what was answered. */
export interface PastAttempt {
  unit: string;
  number: number;
  at: Instant;
  drawn: Drawn[];
  answers: Record<string, number>;
  scored: Scored;
  pass: number;
  shows: Quiz['shows'];
}

export interface HistoryFacts {
  crew: Crew;
  personIds: ReadonlyMap<string, string>;
  courseIds: ReadonlyMap<string, string>;
  requiredUnits: ReadonlyMap<string, readonly string[]>;
  quizzes: ReadonlyMap<string, Quiz>;
  /** units that a supervisor signs off */
  signOffs: ReadonlySet<string>;
  calendars: ReadonlyMap<string, CalendarFacts>;
}

export function startInstant(): Instant {
  return new Calendar({ id: 'house', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: [] }).zone.toInstant(
    dayOf(START_ON),
    msOfTime(START_TIME),
  );
}

/** How somebody took a quiz until they passed it: most at once, some after a try that was not enough. */
function takeQuiz(quiz: Quiz, unit: string, passedAt: Instant, chance: Random): PastAttempt[] {
  const tries = chance.chance(0.28) ? 2 : 1;
  return Array.from({ length: tries }, (_, i): PastAttempt => {
    const number = i + 1;
    const drawn = drawQuiz(quiz, chance.between(1, 1_000_000));
    const isLast = number === tries;
    const wrong = isLast ? (chance.chance(0.3) ? 1 : 0) : chance.between(2, 3);
    const answers = Object.fromEntries(
      drawn.map(({ question, order }, n) => {
        const right = question.kind === 'one' ? order.findIndex((at) => question.choices[at]!.isRight) : 0;
        return [question.id, n < wrong ? (right + 1 + chance.between(0, 1)) % order.length : right];
      }),
    );
    const scored = scoreQuiz(drawn, answers, {}, quiz.pass);
    return { unit, number, at: passedAt - (tries - number) * 35 * MINUTE, drawn, answers, scored, pass: quiz.pass, shows: quiz.shows };
  });
}

/** A sign-off that was met: most at once, some after one that was not. */
const signedOff = (unit: string, at: Instant, chance: Random): AssignmentEvent[] => [
  ...(chance.chance(0.12) ? [{ type: 'signed-off', at: at - 90 * MINUTE, unit, attended: true, met: false } as const] : []),
  { type: 'signed-off', at, unit, attended: true, met: true },
];

/** What people were assigned and did, up to the start of the demo. */
export function makeHistory(facts: HistoryFacts): PastAssignment[] {
  const random = new Random(77);
  // chance of its own: what is answered changes nobody's dates
  const chance = new Random(78);
  const start = startInstant();
  const startDay = dayOf(START_ON);
  const list: PastAssignment[] = [];
  const calendars = new Map([...facts.calendars].map(([site, calendar]) => [site, new Calendar(calendar)]));
  const workingDay = (calendar: Calendar, day: Day): Day => (calendar.isWorkingDay(day) ? day : calendar.addWorkingDays(day, 1));

  for (const course of COURSES) {
    const { title, validity = null } = course.draft;
    const required = facts.requiredUnits.get(title)!;
    const signOff = required.find((unit) => facts.signOffs.has(unit)) ?? null;
    const units = required.filter((unit) => unit !== signOff);
    const eligible = facts.crew.people.filter(
      (p) =>
        !facts.crew.intake.includes(p.name) &&
        p.name !== CAST.director &&
        (course.departments === 'all' || course.departments.includes(p.department)),
    );
    const rounds = new Map<string, number>();
    const open = new Set<string>();
    for (const campaign of course.campaigns) {
      const isCurrent = campaign.day > -60;
      for (const person of eligible) {
        const isCast =
          isCurrent &&
          (person.name === CAST.employee ||
            person.name === CAST.onLeave ||
            person.name === CAST.bounced ||
            person.name === CAST.bouncing ||
            person.name === CAST.noManager ||
            person.name === CAST.full ||
            person.name === CAST.bothZones) &&
          course.draft.code !== 'SAF-01';
        if (!isCast && !random.chance(campaign.share)) continue;
        if (open.has(person.name)) continue;
        const calendar = calendars.get(person.site)!;
        const assignedAt = calendar.zone.toInstant(
          workingDay(calendar, startDay + campaign.day),
          10 * HOUR + random.between(0, 20) * MINUTE,
        );
        const dueAt = calendar.zone.toInstant(
          workingDay(calendar, startDay + campaign.day + campaign.dueIn + random.between(-2, 2)),
          msOfTime('17:00'),
        );
        const events: AssignmentEvent[] = [];
        const unitsDone: string[] = [];
        const attempts: PastAttempt[] = [];
        // most finish with days to spare, some late, some of the current campaign not yet
        const discipline = isCast ? 0 : course.discipline;
        const roll = random.between(1, 100);
        const span = dueAt - assignedAt;
        const finishAt =
          roll <= discipline
            ? assignedAt + span * (0.15 + 0.75 * random.next())
            : isCurrent && roll > discipline + 4
              ? Infinity
              : dueAt + random.between(1, 9) * DAY_MS;
        const workMoment = (at: Instant): Instant => {
          const local = calendar.zone.toLocal(at);
          return calendar.zone.toInstant(workingDay(calendar, local.day), 8 * HOUR + (Math.floor(local.ms / MINUTE) % 540) * MINUTE);
        };
        const progress = finishAt === Infinity ? random.between(0, units.length - 1) : units.length;
        const until = finishAt === Infinity ? Math.min(start, dueAt) : finishAt;
        for (let i = 0; i < progress; i++) {
          const at = workMoment(assignedAt + ((until - assignedAt) * (i + 1)) / units.length);
          if (at >= start || at <= assignedAt) break;
          if (i === 0) events.push({ type: 'started', at: at - 4 * MINUTE });
          const quiz = facts.quizzes.get(units[i]!);
          if (quiz) {
            const tried = takeQuiz(quiz, units[i]!, at, chance);
            attempts.push(...tried);
            for (const { number, at: submittedAt, scored } of tried)
              events.push({
                type: 'quiz-submitted',
                at: submittedAt,
                unit: units[i]!,
                attempt: number,
                score: scored.percent,
                passed: scored.isPassed,
              });
          }
          events.push({ type: 'unit-finished', at, unit: units[i]! });
          unitsDone.push(units[i]!);
        }
        events.sort((a, b) => a.at - b.at);
        let certificate: PastAssignment['certificate'] = null;
        if (unitsDone.length === units.length) {
          const at = events.at(-1)!.at;
          if (signOff) {
            events.push(...signedOff(signOff, at, chance), { type: 'unit-finished', at, unit: signOff });
            unitsDone.push(signOff);
          }
          const issuedOn = dateOf(calendar.zone.dayAt(at));
          const expiresOn = expiryOf(issuedOn, validity as Validity | null);
          certificate = {
            serial: serialFrom(Array.from({ length: 8 }, () => random.between(0, 31))),
            issuedOn,
            expiresOn,
          };
          events.push(
            { type: 'finished', at },
            { type: 'certificate-issued', at, expiresAt: expiresOn === null ? null : dayOf(expiresOn) * DAY_MS },
          );
        } else {
          // some were called to the quay already, and are to come again
          const at = events.at(-1)?.at;
          if (signOff && at !== undefined && chance.chance(0.6)) events.push(chance.chance(0.3) ? { type: 'signed-off', at, unit: signOff, attended: false } : { type: 'signed-off', at, unit: signOff, attended: true, met: false }); // prettier-ignore
          open.add(person.name);
        }
        const round = (rounds.get(person.name) ?? 0) + 1;
        rounds.set(person.name, round);
        list.push({
          person: facts.personIds.get(person.name)!,
          course: facts.courseIds.get(title)!,
          round,
          assignedAt,
          dueAt,
          events,
          unitsDone,
          certificate,
          attempts,
          assignedBy: CAST.administrator,
        });
      }
    }
    // the summer intake is assigned ahead: each is welcomed on the first morning
    if (['SAF-01', 'PAX-01', 'SAF-05'].includes(course.draft.code!)) {
      for (const name of facts.crew.intake) {
        const person = facts.crew.people.find((p) => p.name === name)!;
        const { zone } = calendars.get(person.site)!;
        list.push({
          person: facts.personIds.get(name)!,
          course: facts.courseIds.get(title)!,
          round: 1,
          assignedAt: zone.toInstant(dayOf(INTAKE_ON), msOfTime('08:00')),
          dueAt: zone.toInstant(dayOf(INTAKE_ON) + 18, msOfTime('17:00')),
          events: [],
          unitsDone: [],
          certificate: null,
          attempts: [],
          assignedBy: CAST.administrator,
        });
      }
    }
  }
  expireThree(list, facts, start);
  lateByRungs(list, facts, start, calendars);
  return list;
}

/** Four people who are late with hot work permits for so many working days that one stands on each rung; the second was taken up. */
const LATE_WORKING_DAYS = [4, 7, 10, 14];
function lateByRungs(list: PastAssignment[], facts: HistoryFacts, start: Instant, calendars: ReadonlyMap<string, Calendar>): void {
  const course = facts.courseIds.get('Hot Work Permit')!;
  const nameOf = new Map([...facts.personIds].map(([name, id]) => [id, name]));
  const siteOf = new Map(facts.crew.people.map((person) => [person.name, person.site]));
  const cast = new Set<string>(Object.values(CAST));
  const open = list.filter((a) => a.course === course && !a.certificate && !cast.has(nameOf.get(a.person)!));
  if (open.length < LATE_WORKING_DAYS.length) throw new Error(`The demo promises one on each rung, and ${open.length} are open.`);
  LATE_WORKING_DAYS.forEach((days, i) => {
    const assignment = open[i]!;
    const calendar = calendars.get(siteOf.get(nameOf.get(assignment.person)!)!)!;
    const due = calendar.zone.toInstant(calendar.addWorkingDays(calendar.zone.dayAt(start), -days), msOfTime('17:00'));
    const shift = assignment.dueAt - due;
    assignment.assignedAt -= shift;
    assignment.dueAt -= shift;
    assignment.events = assignment.events.map((event) => ({ ...event, at: event.at - shift }));
    if (i === 1) assignment.events.push({ type: 'taken-up', at: start - DAY_MS, until: dateOf(dayOf(START_ON) + 2), by: CAST.yardHead, told: 'Back from the dry dock on Thursday' });
  });
} // prettier-ignore

/** Three people whose certificate ran out and was never renewed: what a matrix must show. */
function expireThree(list: PastAssignment[], facts: HistoryFacts, start: Instant): void {
  const course = facts.courseIds.get('Muster and Abandon Ship')!;
  const counts = new Map<string, number>();
  for (const a of list) if (a.course === course) counts.set(a.person, (counts.get(a.person) ?? 0) + 1);
  const oldest = list.filter((a) => a.course === course && a.certificate && counts.get(a.person) === 1).slice(0, 3);
  for (const assignment of oldest) {
    const shift = 90 * DAY_MS;
    assignment.assignedAt -= shift;
    assignment.dueAt -= shift;
    assignment.events = assignment.events.map((event) => ({
      ...event,
      at: event.at - shift,
      ...(event.type === 'certificate-issued' ? { expiresAt: event.expiresAt! - shift } : {}),
    }));
    const { certificate } = assignment;
    certificate!.issuedOn = dateOf(dayOf(certificate!.issuedOn) - 90);
    certificate!.expiresOn = dateOf(addMonths(dayOf(certificate!.issuedOn), 12));
    if (dayOf(certificate!.expiresOn) * DAY_MS >= start) throw new Error('The demo promises three expired certificates.');
  }
}
