import { z } from 'zod';

/** A row's id: a whole number as text, since JSON numbers end at 2^53. */
export const Id = z.string().regex(/^[1-9]\d{0,18}$/, 'expected a whole number');
export const Instant = z.iso.datetime({ offset: false });
export const LocalDate = z.iso.date();
export const TimeOfDay = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'expected a time of day like 09:00');

export const Page = z.object({
  page: z.coerce.number().int().min(0).default(0),
  size: z.coerce.number().int().min(1).max(200).default(50),
});

/** Every refusal of the API has this shape. */
export const Refusal = z.object({
  code: z.string(),
  message: z.string(),
  details: z.array(z.object({ where: z.string(), message: z.string() })).optional(),
});
export type Refusal = z.infer<typeof Refusal>;

/**
 * The issues of a Zod error as sentences: where, expected, got.
 * @param input what was parsed, to tell what stands at the place
 */
export function tellIssues(error: z.ZodError, input?: unknown): { where: string; message: string }[] {
  return error.issues.map(({ path, message }) => {
    const where =
      path.reduce<string>(
        (text, key) => (typeof key === 'number' ? `${text}[${key}]` : text ? `${text}.${String(key)}` : String(key)),
        '',
      ) || '(top)';
    const told = message.replace(/^Invalid (input|option): /, '').replace(/, received (\w+)$/, '');
    if (input === undefined || /\bgot\b|^Unrecognized|needs? /.test(told)) return { where, message: told };
    const got = path.reduce<unknown>((value, key) => (value as Record<PropertyKey, unknown> | null | undefined)?.[key], input);
    return { where, message: `${told}; got ${got === undefined ? 'nothing' : JSON.stringify(got).slice(0, 80)}` };
  });
}

/** Of the alternatives of a union the issue of the one that was meant: the one without a key that it does not know. */
export function meantIssue(error: z.ZodError): z.core.$ZodIssue | undefined {
  const [issue] = error.issues;
  if (issue?.code !== 'invalid_union') return issue;
  return issue.errors.find((issues) => !issues.some(({ code }) => code === 'unrecognized_keys'))?.[0];
}
