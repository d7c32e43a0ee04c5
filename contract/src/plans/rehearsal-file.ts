import { z } from 'zod';
import { EVENT_TYPES, EVENTS, isKnownRole, ROLE_WORDS, stepFault, WITHDRAWN_WHY, type EventType, type FieldKind } from '@nudrik/core';
import { Instant, LocalDate, TimeOfDay } from '../common.ts';
import { TemplateSchema } from '../messages/template.ts';
import { StepSchema } from './plans.ts';

const Settings = z.strictObject({
  sendWindow: z
    .strictObject({ from: TimeOfDay, to: TimeOfDay })
    .refine((window) => window.from <= window.to, 'expected "from" not after "to"')
    .optional(),
  dailyLimit: z.number().int().min(1).nullable().optional(),
  tolerance: z.strictObject({ amount: z.number().min(0), unit: z.enum(['minutes', 'hours', 'days']) }).optional(),
});

const isZone = (name: string): boolean => {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return true;
  } catch {
    return false;
  }
};

const CalendarSchema = z.strictObject({
  zone: z.string().refine(isZone, {
    error: (issue) => `expected an IANA time zone such as Europe/Oslo; got ${JSON.stringify(issue.input)}`,
  }),
  workingDays: z.array(z.number().int().min(1).max(7)).min(1),
  holidays: z.array(LocalDate).default([]),
});

const PersonSchema = z.strictObject({
  id: z.string().min(1),
  name: z.string().min(1),
  email: z.string().min(3),
  calendar: z.string(),
  manager: z.string().nullable().default(null),
  leave: z
    .array(
      z
        .strictObject({ from: LocalDate, to: LocalDate.nullable(), cover: z.string().nullable().default(null) })
        .refine((leave) => leave.to === null || leave.from <= leave.to, 'expected "from" not after "to"'),
    )
    .default([]),
  department: z.string().nullable().default(null),
  site: z.string().nullable().default(null),
  groups: z.array(z.string()).default([]),
  job: z.string().nullable().default(null),
  joinedOn: LocalDate.nullable().default(null),
  leftOn: LocalDate.nullable().default(null),
  held: z.array(z.strictObject({ course: z.string(), until: LocalDate.nullable() })).default([]),
});

const CourseSchema = z.strictObject({
  id: z.string().min(1),
  title: z.string().min(1),
  owner: z.string().nullable().default(null),
  assistants: z.array(z.string()).default([]),
  units: z.array(z.string()).default([]),
});

const FIELDS: Record<FieldKind, z.ZodType> = {
  instant: Instant,
  date: LocalDate,
  id: z.string().min(1),
  text: z.string(),
  count: z.number().int().min(1),
  number: z.number(),
  flag: z.boolean(),
  'withdrawn-because': z.enum(WITHDRAWN_WHY),
};

/** The events of core's catalogue; how an assignment begins stands with the assignment. */
const EventSchema = z.discriminatedUnion(
  'type',
  EVENT_TYPES.filter((type) => type !== 'assigned').map((type) => {
    const shape: Record<string, z.ZodType> = {};
    for (const [field, kind] of Object.entries(EVENTS[type].needs)) shape[field] = FIELDS[kind];
    for (const [field, kind] of Object.entries<FieldKind>(EVENTS[type].may)) shape[field] = FIELDS[kind].nullable().optional();
    return z.strictObject({ assignment: z.string(), at: Instant, id: z.string().min(1).optional(), type: z.literal(type), ...shape });
  }) as unknown as [
    z.ZodObject<{ type: z.ZodLiteral<EventType>; assignment: z.ZodString; at: z.ZodString; id: z.ZodOptional<z.ZodString> }>,
  ],
);

/** The self-contained file that `nudrik rehearse` plays. */
export const RehearsalFile = z
  .strictObject({
    $schema: z.string().optional(),
    from: Instant,
    until: Instant,
    publishedAt: Instant.optional(),
    settings: Settings.default({}),
    calendars: z.record(z.string(), CalendarSchema),
    people: z.array(PersonSchema),
    courses: z.array(CourseSchema),
    plan: z.strictObject({
      $schema: z.string().optional(),
      course: z.string(),
      steps: z.array(
        StepSchema.omit({ name: true, on: true }).extend({
          name: z.string().min(1).max(120).default('Step'),
          on: z.boolean().default(true),
          // of a plan's own file: who hears of it when does not hang on its text
          message: TemplateSchema.optional(),
        }),
      ),
    }),
    assignments: z.array(
      z.strictObject({
        id: z.string().min(1),
        person: z.string(),
        course: z.string(),
        round: z.number().int().min(1).default(1),
        assignedAt: Instant,
        dueAt: Instant,
      }),
    ),
    events: z.array(EventSchema).default([]),
  })
  .superRefine((file, context) => {
    const refuse = (path: (string | number)[], message: string): void => context.addIssue({ code: 'custom', path, message, input: file });
    if (file.from >= file.until) refuse(['until'], `expected a moment after "from" (${file.from}); got ${file.until}`);
    const people = new Set(file.people.map((person) => person.id));
    const courses = new Set(file.courses.map((course) => course.id));
    const assignments = new Set(file.assignments.map((assignment) => assignment.id));
    const unique = (key: 'people' | 'courses' | 'assignments', ids: string[]): void =>
      ids.forEach((id, i) => ids.indexOf(id) !== i && refuse([key, i, 'id'], `expected each id once; "${id}" stands more than once`));
    unique(
      'people',
      file.people.map((person) => person.id),
    );
    unique(
      'courses',
      file.courses.map((course) => course.id),
    );
    unique(
      'assignments',
      file.assignments.map((assignment) => assignment.id),
    );
    const known = (set: ReadonlySet<string>, id: string | null, path: (string | number)[], what: string): void => {
      if (id !== null && !set.has(id)) refuse(path, `expected the id of ${what}; got "${id}"`);
    };
    file.people.forEach((person, i) => {
      if (!(person.calendar in file.calendars))
        refuse(
          ['people', i, 'calendar'],
          `expected one of the calendars ${Object.keys(file.calendars).join(', ')}; got "${person.calendar}"`,
        );
    });
    known(courses, file.plan.course, ['plan', 'course'], 'one of the courses');
    const steps = new Set<string>();
    file.plan.steps.forEach((step, i) => {
      if (steps.has(step.id)) refuse(['plan', 'steps', i, 'id'], `expected each id once; "${step.id}" stands more than once`);
      steps.add(step.id);
      step.to.forEach((role, j) => {
        if (!isKnownRole(role)) refuse(['plan', 'steps', i, 'to', j], `expected ${ROLE_WORDS}; got "${role}"`);
      });
      const fault = stepFault(step);
      if (fault) refuse(['plan', 'steps', i], fault);
    });
    file.assignments.forEach((assignment, i) => {
      known(people, assignment.person, ['assignments', i, 'person'], 'one of the people');
      known(courses, assignment.course, ['assignments', i, 'course'], 'one of the courses');
    });
    const eventOf = new Map(file.events.flatMap((event) => (event.id === undefined ? [] : [[event.id, event] as const])));
    const named = file.events.flatMap(({ id }) => id ?? []);
    file.events.forEach((event, i) => {
      known(assignments, event.assignment, ['events', i, 'assignment'], 'one of the assignments');
      if (event.id !== undefined && eventOf.get(event.id) !== event)
        refuse(['events', i, 'id'], `expected each id once; "${event.id}" stands more than once`);
      const back = event.type === 'undone' ? (event as unknown as { event: string }).event : null;
      known(new Set(named), back, ['events', i, 'event'], 'an event of this file');
      if (back !== null && eventOf.has(back) && eventOf.get(back)!.assignment !== event.assignment)
        refuse(
          ['events', i, 'event'],
          `expected an event of the same assignment "${event.assignment}"; got one of "${eventOf.get(back)!.assignment}"`,
        );
    });
  });
export type RehearsalFile = z.infer<typeof RehearsalFile>;

/** Managers, covers and owners that the file names and does not hold: played as "nobody there", and worth a warning. */
export function danglingPeople(file: RehearsalFile): { where: string; id: string }[] {
  const people = new Set(file.people.map((person) => person.id));
  const found: { where: string; id: string }[] = [];
  const look = (id: string | null, where: string): void => void (id !== null && !people.has(id) && found.push({ where, id }));
  file.people.forEach((person, i) => {
    look(person.manager, `people[${i}].manager`);
    person.leave.forEach((leave, j) => look(leave.cover, `people[${i}].leave[${j}].cover`));
  });
  file.courses.forEach((course, i) => look(course.owner, `courses[${i}].owner`));
  return found;
}
