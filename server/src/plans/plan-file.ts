import { NAMES_THEMSELVES, planFaults, renamedSteps, tellSteps, textWarnings, type NamedKind, type PlanStep } from '@nudrik/core';
import { PlanFile, tellIssues, type PlanFileTaken } from '@nudrik/contract';
import { z } from 'zod';
import { maybeRow, rows, type Queryable } from '../db/db.ts';
import { Refused } from '../refusal.ts';

/** The JSON Schema of a plan's file, made from the Zod schema; docs/plan-file.schema.json holds it. */
export const planSchema = (): unknown => ({
  title: 'Nudrik plan file',
  ...(z.toJSONSchema(PlanFile, { io: 'input', unrepresentable: 'any' }) as object),
});

/** @returns the plan of a file, or the sentences that refuse it */
export function readPlanText(text: string): { plan: PlanFile } | { refusals: string[] } {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    return { refusals: [`The file is not JSON: ${(error as Error).message}.`] };
  }
  const file = PlanFile.safeParse(json);
  if (!file.success) return { refusals: tellIssues(file.error, json).map(({ where, message }) => `${where}: ${message}`) };
  return { plan: file.data };
}

/** What is wrong with a plan that was read from a file, and what is to be known of it: all that can be seen without a house. */
export function checkPlan(plan: PlanFile): string[] {
  const steps = plan.steps as PlanStep[];
  const faults = planFaults(steps).map(({ message }) => message);
  return [...faults, ...textWarnings({ steps, names: NAMES_THEMSELVES, today: null }).map(({ words }) => words)];
}

/** The steps of a file in words. */
export const tellPlan = ({ steps }: PlanFile): Record<string, string> => tellSteps(steps as PlanStep[], NAMES_THEMSELVES);

const LIST_NAMED = `
select 'department' as kind, id::text, name from departments
union all
select 'site', id::text, name from sites
union all
select 'group', id::text, name from groups
union all
select 'course', id::text, title from courses
union all
select 'section', id::text, title from sections where course_id = $1::bigint
union all
select 'unit', u.id::text, u.title from units u join sections s on s.id = u.section_id where s.course_id = $1::bigint
`;
const FIND_PERSON = 'select email from people where id = $1::bigint';
const FIND_BY_EMAIL = 'select id from people where lower(email) = lower($1::text)';

const WORDS: Record<NamedKind, string> = {
  department: 'department',
  site: 'site',
  group: 'group',
  course: 'course',
  person: 'person with the address',
  unit: 'unit',
  section: 'section',
};

/** What the things of a house are called in a file: by name, and with the id where several are called the same. */
class Called {
  private readonly nameOf = new Map<string, string>();
  private readonly idsOf = new Map<string, string[]>();

  private constructor(private readonly named: readonly { kind: NamedKind; id: string; name: string }[]) {
    for (const { kind, id, name } of named) this.idsOf.set(`${kind} ${name}`, [...(this.idsOf.get(`${kind} ${name}`) ?? []), id]);
    for (const { kind, id, name } of named)
      this.nameOf.set(`${kind} ${id}`, this.idsOf.get(`${kind} ${name}`)!.length > 1 ? `${name} (${id})` : name);
    for (const { kind, id } of named) this.idsOf.set(`${kind} ${this.nameOf.get(`${kind} ${id}`)!}`, [id]);
  }

  static async of(db: Queryable, courseId: string): Promise<Called> {
    return new Called(await rows<{ kind: NamedKind; id: string; name: string }>(db, LIST_NAMED, [courseId]));
  }

  name(kind: NamedKind, id: string): string {
    return this.nameOf.get(`${kind} ${id}`) ?? id;
  }

  /** @returns null where nothing, or more than one thing, is called that */
  id(kind: NamedKind, name: string): string | null {
    const ids = this.idsOf.get(`${kind} ${name}`);
    return ids?.length === 1 ? ids[0]! : null;
  }

  like(kind: NamedKind): string[] {
    return this.named.filter((one) => one.kind === kind).map(({ name }) => name).slice(0, 5); // prettier-ignore
  }
}

/** Every person whom steps name. */
const peopleIn = (steps: readonly PlanStep[]): string[] => {
  const found = new Set<string>();
  renamedSteps(steps, (kind, value) => (kind === 'person' && found.add(value), value));
  return [...found];
};

/** The steps of a plan as a file. */
export async function planFile(db: Queryable, courseId: string, steps: readonly PlanStep[]): Promise<PlanFile> {
  const called = await Called.of(db, courseId);
  const emails = new Map<string, string>();
  for (const id of peopleIn(steps)) {
    const person = /^\d+$/.test(id) ? await maybeRow<{ email: string }>(db, FIND_PERSON, [id]) : null;
    if (person) emails.set(id, person.email);
  }
  return {
    course: called.name('course', courseId),
    steps: renamedSteps(steps, (kind, id) => (kind === 'person' ? (emails.get(id) ?? id) : called.name(kind, id))) as PlanFile['steps'],
  };
}

/** The steps of a file as a house knows them: everything that they name is looked up. @throws Refused with a sentence for each that is not there */
export async function takePlanFile(db: Queryable, courseId: string, text: string): Promise<PlanFileTaken> {
  const read = readPlanText(text);
  if ('refusals' in read) throw new Refused('wrong-file', `${read.refusals.slice(0, 5).join(' ')} Nothing was taken.`);
  const { course, steps } = read.plan;
  const called = await Called.of(db, courseId);
  const ids = new Map<string, string>();
  for (const email of peopleIn(steps as PlanStep[])) {
    const person = await maybeRow<{ id: string }>(db, FIND_BY_EMAIL, [email]);
    if (person) ids.set(email, person.id);
  }
  const unknown = new Map<string, string>();
  const taken = renamedSteps(steps as PlanStep[], (kind, name) => {
    const id = kind === 'person' ? (ids.get(name) ?? null) : called.id(kind, name);
    if (id === null) {
      const like = called.like(kind);
      unknown.set(
        `${kind} ${name}`,
        `There is no ${WORDS[kind]} “${name}” here${like.length ? `; there is ${like.map((one) => `“${one}”`).join(', ')}` : ''}.`,
      );
    }
    return id ?? name;
  });
  if (unknown.size > 0) throw new Refused('wrong-file', `${[...unknown.values()].slice(0, 5).join(' ')} Nothing was taken.`);
  return { course, steps: taken as PlanFileTaken['steps'] };
}
