import { characterFault, isKept, isMailAddress, readLanguage } from '@nudrik/core';
import { z } from 'zod';

/** A row's id: a whole number as text, since JSON numbers end at 2^53. */
export const Id = z.string().regex(/^[1-9]\d{0,18}$/, 'expected a whole number');
/** Years that dates may have: what lies outside is a slip of the hand, and would run past what calendars can be worked out for. */
const BOUNDS = 'expected a year from 1970 to 2199';
export const Instant = z.iso.datetime({ offset: false }).refine(isKept, BOUNDS);
export const LocalDate = z.iso.date('expected a date like 2027-03-01').refine(isKept, BOUNDS);
export const TimeOfDay = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'expected a time of day like 09:00');

const BREAK = /[\n\r\t\u2028\u2029]/;

/** One line of text, trimmed. @param expected what is said where it is empty */
export const Line = (max: number, expected = 'expected some words') =>
  z
    .string()
    .trim()
    .min(1, expected)
    .max(max)
    .refine((text) => !BREAK.test(text), 'expected one line, without line breaks or tabs');

/** What the server takes of one request, beside files: deeper or wider than this is nobody's typing. */
const MOST = { depth: 60, values: 300_000, text: 6_000_000 };

/**
 * Text as it is kept, wherever it stands in what came in: composed (NFC), without control characters, well formed.
 * @returns the same with its texts composed, or what is wrong and where
 */
export function tidy(input: unknown): { value: unknown } | { fault: string } {
  let values = 0;
  let fault: string | null = null;
  const walk = (value: unknown, depth: number, path: readonly PropertyKey[]): unknown => {
    if (fault !== null) return value;
    values += 1;
    if (depth > MOST.depth) return void (fault = `expected at most ${MOST.depth} levels, got more`);
    if (values > MOST.values) return void (fault = `expected at most ${MOST.values.toLocaleString('en')} values, got more`);
    if (typeof value === 'string') {
      const where = path.length > 0 ? `${fieldWords(path) || 'a text'}: ` : '';
      if (value.length > MOST.text)
        return void (fault = `${where}expected at most ${MOST.text.toLocaleString('en')} characters, got ${value.length}`);
      const character = characterFault(value);
      if (character) return void (fault = where + character);
      return value.normalize('NFC');
    }
    if (Array.isArray(value)) return value.map((item, index) => walk(item, depth + 1, [...path.slice(-6), index]));
    if (value !== null && typeof value === 'object') {
      const tidied: Record<string, unknown> = {};
      for (const [key, item] of Object.entries(value)) {
        const named = characterFault(key.slice(0, 10_000));
        if (named) return void (fault = `a name: ${named}`);
        // an own key of this name is never asked for, and would be another thing than a field
        if (key !== '__proto__') tidied[key] = walk(item, depth + 1, [...path.slice(-6), key.slice(0, 100)]);
      }
      return tidied;
    }
    return value;
  };
  const value = walk(input, 0, []);
  return fault === null ? { value } : { fault };
}

export const Page = z.object({
  page: z.coerce.number().int().min(0).default(0),
  size: z.coerce.number().int().min(1).max(200).default(50),
});

/** When something was finished: a moment, or the day of a completion that was recorded, whose hour nobody knows. */
export interface FinishedFact {
  finishedAt: string | null;
  finishedOn: string | null;
}

/** The version that somebody worked on: a save over a newer one is refused. */
export const Version = z.number().int().min(1, 'expected the version that was worked on');

/** Every refusal of the API has this shape. */
export const Refusal = z.object({
  code: z.string(),
  message: z.string(),
  details: z.array(z.object({ where: z.string(), message: z.string() })).optional(),
});
export type Refusal = z.infer<typeof Refusal>;

/** Fields by what people call them; others are told by their own words: `sendWindow` is "send window". */
const FIELD_WORDS: Record<string, string> = {
  courseId: 'course',
  personIds: 'people',
  assignmentIds: 'assignments',
  dueOn: 'due date',
  dueTime: 'due time',
  ownerId: 'owner',
  assistants: 'assistants',
  coverId: 'cover',
  parentId: 'department above',
  joinedOn: 'date of joining',
  leftOn: 'date of leaving',
  managerEmail: 'manager',
  personnelNumber: 'personnel number',
  email: 'e-mail',
  validity: 'how long it is valid',
  count: 'how many',
  from: 'first day',
  to: 'last day',
  until: 'last day',
  fileId: 'file',
  url: 'web address',
  body: 'text',
  at: 'time of day',
  told: 'what they are told',
  graceDays: 'days of grace',
  creditMonths: 'months of credit',
  leadDays: 'days before',
  months: 'months',
  onlyIf: 'condition',
  stopWhen: 'stop condition',
  endsOn: 'last day',
};

/** A place in what was sent, in words: `sections[2].units[0].title` is "section 3, unit 1, title". */
export function fieldWords(path: readonly PropertyKey[]): string {
  const words: string[] = [];
  path.forEach((key, i) => {
    if (typeof key === 'number') {
      const list = words.pop() ?? 'line';
      words.push(`${list.replace(/ies$/, 'y').replace(/s$/, '')} ${key + 1}`);
    } else if (!(i === 0 && key === 'draft')) {
      const name = String(key);
      words.push(
        FIELD_WORDS[name] ?? name.replace(/Ids?$/, '').replace(/([a-z])([A-Z])/g, (_, a: string, b: string) => `${a} ${b.toLowerCase()}`),
      );
    }
  });
  return words.join(', ');
}

/**
 * The issues of a Zod error as sentences: where, expected, got.
 * @param input what was parsed, to tell what stands at the place
 */
export function tellIssues(error: z.ZodError, input?: unknown): { where: string; field: string; message: string }[] {
  return error.issues.map(({ path, message }) => {
    const field = fieldWords(path);
    const where =
      path.reduce<string>(
        (text, key) => (typeof key === 'number' ? `${text}[${key}]` : text ? `${text}.${String(key)}` : String(key)),
        '',
      ) || '(top)';
    const told = message.replace(/^Invalid (input|option): /, '').replace(/, received (\w+)$/, '');
    if (input === undefined || /\bgot\b|^Unrecognized|needs? /.test(told)) return { where, field, message: told };
    const got = path.reduce<unknown>((value, key) => (value as Record<PropertyKey, unknown> | null | undefined)?.[key], input);
    return { where, field, message: `${told}; got ${got === undefined ? 'nothing' : JSON.stringify(got).slice(0, 80)}` };
  });
}

/** Of the alternatives of a union the issue of the one that was meant: the one without a key that it does not know. */
export function meantIssue(error: z.ZodError): z.core.$ZodIssue | undefined {
  const [issue] = error.issues;
  if (issue?.code !== 'invalid_union') return issue;
  return issue.errors.find((issues) => !issues.some(({ code }) => code === 'unrecognized_keys'))?.[0];
}

/** A language that people read in, as a tag (BCP 47). */
export const LanguageTag = z.string().refine((tag) => /^[a-z]{2,3}$/.test(tag) && readLanguage(tag) === tag, { error: 'expected the tag of a language, such as nb' }); // prettier-ignore

/** A mail address, of any script. */
export const MailAddress = z.string().max(254).refine(isMailAddress, { error: 'expected a mail address' });

/** What would go to whom because of something that is only thought of. */
export interface ForeseenMessage {
  step: string;
  to: string;
  /** when it would go, in the reader's words; or why it does not */
  words: string;
  goes: boolean;
}
