import { z } from 'zod';
import { Id } from '../common.ts';

const Iri = z
  .string()
  .max(2_000)
  .regex(/^[a-z][a-z0-9+.-]*:\S+$/i, 'expected an IRI such as https://…');
const Words = z.record(z.string().max(40), z.string().max(2_000));
const Loose = z.record(z.string(), z.unknown());

/** Who a statement is about: known by exactly one of these (xAPI, inverse functional identifiers). */
const Actor = z
  .strictObject({
    objectType: z.enum(['Agent', 'Group']).default('Agent'),
    name: z.string().max(400).optional(),
    mbox: z.string().max(400).regex(/^mailto:\S+@\S+$/i, 'expected mailto: and an address').optional(),
    mbox_sha1sum: z.string().regex(/^[0-9a-f]{40}$/i, 'expected 40 hexadecimal digits').optional(),
    openid: Iri.optional(),
    account: z.strictObject({ homePage: Iri, name: z.string().min(1).max(400) }).optional(),
    member: z.array(z.unknown()).max(1_000).optional(),
  })
  .superRefine((actor, issues) => {
    const known = [actor.mbox, actor.mbox_sha1sum, actor.openid, actor.account].filter((one) => one !== undefined).length;
    if (known !== 1 && !(actor.objectType === 'Group' && known === 0))
      issues.addIssue({ code: 'custom', message: `expected exactly one of mbox, mbox_sha1sum, openid and account; got ${known}` });
  }); // prettier-ignore

const Score = z.strictObject({
  scaled: z.number().min(-1).max(1).optional(),
  raw: z.number().optional(),
  min: z.number().optional(),
  max: z.number().optional(),
});

/** One statement of xAPI (1.0.3, 2.0), as far as this house reads it; what it does not read is kept. */
export const Statement = z.strictObject({
  id: z.uuid().optional(),
  actor: Actor,
  verb: z.strictObject({ id: Iri, display: Words.optional() }),
  object: z
    .looseObject({
      objectType: z.enum(['Activity', 'Agent', 'Group', 'SubStatement', 'StatementRef']).default('Activity'),
      id: z.string().max(2_000).optional(),
      definition: z.looseObject({ name: Words.optional() }).optional(),
    })
    .superRefine(({ objectType, id }, issues) => {
      if (objectType === 'Activity' && !Iri.safeParse(id).success)
        issues.addIssue({ code: 'custom', path: ['id'], message: 'expected the IRI of an activity' });
      if (objectType === 'StatementRef' && !z.uuid().safeParse(id).success)
        issues.addIssue({ code: 'custom', path: ['id'], message: 'expected the id of a statement' });
    }),
  result: z
    .strictObject({
      score: Score.optional(),
      success: z.boolean().optional(),
      completion: z.boolean().optional(),
      response: z.string().optional(),
      duration: z.string().max(100).regex(/^P/, 'expected a duration of ISO 8601').optional(),
      extensions: Loose.optional(),
    })
    .optional(),
  context: Loose.optional(),
  timestamp: z.iso.datetime({ offset: true, error: 'expected a moment with its zone, such as 2027-03-01T09:30:00Z' }).optional(),
  stored: z.string().optional(),
  authority: z.unknown().optional(),
  version: z.string().regex(/^[12]\.0(\.\d+)?$/, 'expected 1.0 or 2.0').optional(),
  attachments: z.array(z.unknown()).max(0, 'attachments are not taken here').optional(),
}); // prettier-ignore
export type Statement = z.infer<typeof Statement>;
export const MOST_STATEMENTS = 500;
/** POST /api/xapi/statements: one, or several at once */
export const StatementsIn = z.union([
  Statement.transform((one) => [one]),
  z.array(Statement).min(1, 'expected at least one statement').max(MOST_STATEMENTS, `expected at most ${MOST_STATEMENTS} at once`),
]);

/** GET /api/xapi/statements */
export const StatementsQuery = z.strictObject({
  statementId: z.uuid().optional(),
  voidedStatementId: z.uuid().optional(),
  agent: z.string().max(2_000).optional(),
  verb: Iri.optional(),
  activity: Iri.optional(),
  registration: z.uuid().optional(),
  related_activities: z.enum(['true', 'false']).optional(),
  related_agents: z.enum(['true', 'false']).optional(),
  since: z.iso.datetime({ offset: true }).optional(),
  until: z.iso.datetime({ offset: true }).optional(),
  limit: z.coerce.number().int().min(0).max(1_000).default(100),
  format: z.enum(['ids', 'exact', 'canonical']).optional(),
  attachments: z.enum(['false']).optional(),
  ascending: z.enum(['true', 'false']).default('false'),
  /** of `more`: where the page begins */
  from: Id.optional(),
});
export type StatementsQuery = z.infer<typeof StatementsQuery>;

/** What came of a statement: on the record, noted and nothing else, or somebody has to look at it. */
export const STATEMENT_OUTCOMES = {
  recorded: 'recorded as finished',
  noted: 'noted',
  'no-person': 'nobody of the roster',
  'no-course': 'no course is known by its activity',
  older: 'finished before it was asked for',
  early: 'of a day that has not come',
  voids: 'takes back what is on the record',
} as const;
export type StatementOutcome = keyof typeof STATEMENT_OUTCOMES;
/** Those that somebody has to look at. */
export const TO_SEE: readonly StatementOutcome[] = ['no-person', 'no-course', 'older', 'early', 'voids'];

export interface StatementRow {
  id: string;
  program: string;
  at: string;
  storedAt: string;
  /** who it names, as it names them */
  who: string;
  verb: string;
  activity: string | null;
  /** what the activity is called there */
  title: string | null;
  outcome: StatementOutcome;
  words: string;
  personId: string | null;
  courseId: string | null;
  seenAt: string | null;
  seenBy: string | null;
}
export const StatementsAsked = z.object({ show: z.enum(['to-see', 'all']).default('to-see'), after: z.string().max(80).optional() });
/** GET /api/programs/statements */
export interface StatementsView {
  rows: StatementRow[];
  next: string | null;
  toSee: number;
  /** activities of which nobody said which course they are, with how many statements wait for that */
  activities: { activity: string; title: string | null; count: number }[];
  /** where other programs bring them */
  endpoint: string;
}
/** PUT /api/programs/activities: which course an activity is; null is none of ours */
export const ActivityCourse = z.object({ activity: Iri, courseId: Id.nullable() });
