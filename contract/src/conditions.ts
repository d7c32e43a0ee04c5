import { z } from 'zod';
import {
  CONDITIONS,
  conditionsFor,
  PRESENCES,
  SIGN_OFF_OUTCOMES,
  STATES,
  type Condition,
  type ConditionFact,
  type ConditionValue,
} from '@nudrik/core';
import { Id, LocalDate, meantIssue, Line } from './common.ts';

const Names = z.array(Line(200)).min(1, 'expected at least one').max(2_000);
const Ids = z.array(Id).min(1, 'expected at least one').max(2_000);
const Texts = z.array(Line(200)).min(1, 'expected at least one').max(5_000);

/** The values of conditions, with departments, sites, groups, people and courses by id or by name. */
const valuesBy = (which: z.ZodType): Record<ConditionValue, z.ZodType> => ({
  states: z.array(z.enum(STATES)).min(1),
  unit: Line(100),
  departments: which,
  sites: which,
  groups: which,
  jobs: Texts,
  people: which,
  date: LocalDate,
  days: z.number().int().min(0).max(36_500),
  numbers: Texts,
  courses: which,
  percent: z.number().int().min(0).max(100),
  score: z.strictObject({ unit: Line(100), atLeast: z.number().int().min(0).max(100) }),
  attempts: z.strictObject({ unit: Line(100), atLeast: z.number().int().min(1).max(100) }),
  outcomes: z.array(z.enum(SIGN_OFF_OUTCOMES)).min(1),
  presences: z.array(z.enum(PRESENCES)).min(1),
  count: z.number().int().min(1).max(1_000),
  true: z.literal(true),
  step: Line(100),
});

/**
 * The schema of conditions of which these facts are known, made from core's catalogue. What is not understood is told by
 * the one condition that was meant; what cannot be asked here is refused by its name.
 * @param by how a condition names departments and the like: by id in audiences, by any name in plans and files
 */
function conditionSchema(known: readonly ConditionFact[], by: 'id' | 'name'): z.ZodType<Condition> {
  const values = valuesBy(by === 'id' ? Ids : Names);
  const leaves = conditionsFor(...known);
  const names: readonly string[] = ['all', 'any', 'not', ...leaves];
  const leafShapes = leaves.map((name) => {
    const value = values[CONDITIONS[name].takes];
    if (name !== 'department') return z.strictObject({ [name]: value });
    return z.strictObject({ department: value, below: by === 'id' ? z.boolean() : z.boolean().optional() });
  });
  const shapes = z.lazy(() =>
    z.union([
      z.strictObject({ all: z.array(schema).max(50) }),
      z.strictObject({ any: z.array(schema).max(50) }),
      z.strictObject({ not: schema }),
      ...leafShapes,
    ]),
  ) as unknown as z.ZodType<Condition>;
  const schema: z.ZodType<Condition> = z.lazy(() =>
    z.unknown().transform((value, context): Condition => {
      const parsed = shapes.safeParse(value);
      if (parsed.success) return parsed.data;
      const refuse = (message: string, path: PropertyKey[] = []): never => {
        context.addIssue({ code: 'custom', path, message, input: value });
        return z.NEVER;
      };
      const keys = value !== null && typeof value === 'object' && !Array.isArray(value) ? Object.keys(value) : [];
      const name = keys.find((key) => names.includes(key));
      const isMixed = keys.some((key) => key !== name && !(key === 'below' && name === 'department'));
      if (name === undefined || isMixed)
        return refuse(`expected a condition with one of ${names.join(', ')}; got ${keys.join(', ') || JSON.stringify(value)}`);
      const meant = meantIssue(parsed.error);
      return refuse(meant?.message ?? `not understood: ${JSON.stringify(value)}`, meant ? [...meant.path] : [name]);
    }),
  );
  // measured before anything is parsed: what is too large as a whole is refused as a whole
  return z.unknown().transform((value, context): Condition => {
    const { conditions, depth } = sizeOf(value);
    if (conditions > MOST.conditions || depth > MOST.depth) {
      const got = conditions > MOST.conditions ? 'more conditions' : `${depth} levels`;
      context.addIssue({
        code: 'custom',
        message: `expected at most ${MOST.conditions} conditions in ${MOST.depth} levels, got ${got}`,
        input: value,
      });
      return z.NEVER;
    }
    const parsed = schema.safeParse(value);
    if (parsed.success) return parsed.data;
    for (const issue of parsed.error.issues) context.addIssue({ ...issue, code: 'custom', message: issue.message, input: value });
    return z.NEVER;
  });
}

/** What a whole condition may have: more is nobody's rule. */
const MOST = { conditions: 300, depth: 12 };

/** How many conditions stand in one, and how deep, counting no further than the bounds go. */
function sizeOf(value: unknown): { conditions: number; depth: number } {
  let conditions = 0;
  let deepest = 0;
  const walk = (one: unknown, depth: number): void => {
    conditions += 1;
    deepest = Math.max(deepest, depth);
    if (conditions > MOST.conditions || depth > MOST.depth || one === null || typeof one !== 'object') return;
    const { all, any, not } = one as { all?: unknown; any?: unknown; not?: unknown };
    for (const list of [all, any]) if (Array.isArray(list)) for (const each of list) walk(each, depth + 1);
    if (not !== undefined) walk(not, depth + 1);
  };
  walk(value, 1);
  return { conditions, depth: deepest };
}

/** A condition of a plan's step: of the person, the assignment, what is held, and what was sent. */
export const ConditionSchema = conditionSchema(['person', 'assignment', 'held', 'notices'], 'name');
/** Who reads a part of a text: what went before is not asked, since a look ahead could not tell. */
export const PartConditionSchema = conditionSchema(['person', 'assignment', 'held'], 'name');
/** An audience, as it is stored. */
export const AudienceSchema = conditionSchema(['person', 'held'], 'id');
