import { z } from 'zod';
import { CONDITIONS, conditionsFor, STATES, type Condition, type ConditionFact, type ConditionValue } from '@nudrik/core';
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
  return schema;
}

/** A condition of a plan's step: of the person and the assignment. */
export const ConditionSchema = conditionSchema(['person', 'assignment'], 'name');
/** An audience, as it is stored. */
export const AudienceSchema = conditionSchema(['person', 'held'], 'id');
