import { z } from 'zod';
import { Id } from '../common.ts';
import { PartConditionSchema } from '../conditions.ts';
import {
  isHref,
  LANGUAGE_TAGS,
  MOST_HOURS,
  MOST_TIMES,
  PICTURE_WIDTHS,
  TABLE_COLUMNS,
  type Block,
  type Doc,
  type TableColumn,
} from '@nudrik/core';

/** How deep lists and quotes may stand in each other. */
const DEPTH = 4;
const MOST = 500;
const MOST_LETTERS = 60_000;

const HrefSchema = z
  .string()
  .max(2_000)
  .refine(isHref, { error: 'expected an address that begins with https://, http:// or mailto:, or a place such as to:course' });

const MarkSchema = z.discriminatedUnion('type', [
  z.strictObject({ type: z.literal('bold') }),
  z.strictObject({ type: z.literal('italic') }),
  z.strictObject({ type: z.literal('link'), attrs: z.strictObject({ href: HrefSchema }) }),
]);
const Marks = z.array(MarkSchema).max(3).optional();

const InlineSchema = z
  .discriminatedUnion('type', [
    z.strictObject({ type: z.literal('text'), text: z.string().min(1).max(20_000), marks: Marks }),
    z.strictObject({
      type: z.literal('field'),
      attrs: z.strictObject({ name: z.string().min(1).max(60), fallback: z.string().max(200).nullable() }),
      marks: Marks,
    }),
    z.strictObject({ type: z.literal('hardBreak'), marks: Marks }),
  ])
  .meta({ id: 'wordsOfText' });
const Inlines = z.array(InlineSchema).max(MOST).optional();

const columns = Object.keys(TABLE_COLUMNS) as [TableColumn, ...TableColumn[]];

const leaves = [
  z.strictObject({ type: z.literal('paragraph'), content: Inlines }),
  z.strictObject({
    type: z.literal('heading'),
    attrs: z.strictObject({ level: z.union([z.literal(2), z.literal(3)]) }),
    content: Inlines,
  }),
  z.strictObject({ type: z.literal('horizontalRule') }),
  z.strictObject({ type: z.literal('button'), attrs: z.strictObject({ href: HrefSchema }), content: Inlines }),
  z.strictObject({
    type: z.literal('picture'),
    attrs: z.strictObject({ file: Id, alt: z.string().max(300), width: z.number().int().min(16).max(PICTURE_WIDTHS.wide) }),
  }),
  z.strictObject({ type: z.literal('people'), attrs: z.strictObject({ columns: z.array(z.enum(columns)).max(columns.length) }) }),
] as const;

const named = (schema: z.ZodType, id: string): z.ZodType<Block> => (schema as z.ZodType<Block>).meta({ id });

/** A block that may hold such others, and those that hold none. */
function blocksWith(inner: z.ZodType<Block> | null, id: string, ...more: z.ZodObject<{ type: z.ZodLiteral<'part'> }>[]): z.ZodType<Block> {
  const holding = (content: z.ZodType) => [
    z.strictObject({ type: z.literal('blockquote'), content }),
    ...(['bulletList', 'orderedList'] as const).map((type) =>
      z.strictObject({
        type: z.literal(type),
        content: z.array(z.strictObject({ type: z.literal('listItem'), content })).min(1).max(MOST), // prettier-ignore
      }),
    ),
  ];
  return named(z.discriminatedUnion('type', [...leaves, ...(inner ? holding(several(inner)) : []), ...more]), id);
}
const several = (block: z.ZodType<Block>): z.ZodType<Block[]> => z.array(block).min(1).max(MOST);

/** Blocks that hold no more than so many levels of others: what is nested without end is refused before anybody walks it. */
const LEVELS = [blocksWith(null, 'blockOfText0')];
for (let depth = 1; depth <= DEPTH; depth++) LEVELS.push(blocksWith(LEVELS[depth - 1]!, `blockOfText${depth}`));

/** What stands in nothing else: any block, and parts that only some read. */
const TopBlock = blocksWith(
  LEVELS[DEPTH - 1]!,
  'blockOfText',
  z.strictObject({
    type: z.literal('part'),
    attrs: z.strictObject({ onlyIf: PartConditionSchema.nullable() }),
    content: several(LEVELS[DEPTH]!),
  }),
);

/** A written text, in the shape in which editors that are built on ProseMirror hold theirs. */
export const DocSchema: z.ZodType<Doc> = z
  .strictObject({ type: z.literal('doc'), content: several(TopBlock) })
  .refine((doc) => JSON.stringify(doc).length <= MOST_LETTERS, {
    error: `the text is too long: at most ${MOST_LETTERS.toLocaleString('en')} letters with what marks them`,
  });

/** What of a message is written anew in each language. */
const WordingSchema = z.strictObject({
  subject: z.string().max(300),
  /** in its plain form, where an empty line begins the next paragraph, or written */
  body: z.union([z.string().max(20_000), DocSchema]),
  button: z.string().max(80).nullable(),
  /** the plain text where its author wrote it; otherwise it is made from the text */
  plain: z.string().max(20_000).nullable().optional(),
});

export const TemplateSchema = WordingSchema.extend({
  /** what it says in other languages than that of the house, by their tags */
  texts: z.partialRecord(z.enum(LANGUAGE_TAGS), WordingSchema).optional(),
  /** the employee gets the due date with it, for their calendar */
  withDate: z.boolean().optional(),
  /** the certificate comes with it, as its PDF */
  withCertificate: z.boolean().optional(),
  /** the record of the sign-off comes with it, as a PDF */
  withRecord: z.boolean().optional(),
  /** what goes with it: in it, or as a download of its reader's own */
  files: z
    .array(
      z.strictObject({
        handout: Id,
        as: z.enum(['attached', 'download']),
        hours: z.number().int().min(1).max(MOST_HOURS),
        times: z.number().int().min(1).max(MOST_TIMES).nullable(),
        mayAsk: z.boolean(),
      }),
    )
    .max(10)
    .refine((files) => new Set(files.map(({ handout }) => handout)).size === files.length, {
      error: 'a file stands twice; expected each once',
    })
    .optional(),
});
