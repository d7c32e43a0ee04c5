/** A merge field's identity: what stands between braces in a template, `{given name}`. */
export interface MergeField {
  name: string;
  /** what it prints, for the editor */
  about: string;
}

export const MERGE_FIELDS: readonly MergeField[] = [
  { name: 'given name', about: "the employee's given name" },
  { name: 'full name', about: "the employee's full name" },
  { name: 'recipient', about: 'the given name of whoever reads the message' },
  { name: 'course', about: 'the title of the course' },
  { name: 'course code', about: 'the code of the course' },
  { name: 'course summary', about: 'the summary of the course' },
  { name: 'assigned', about: 'the day of assignment' },
  { name: 'due', about: 'the due date and time, in words' },
  { name: 'time to due', about: '“in 2 days”, “3 days ago”' },
  { name: 'due when', about: '“tomorrow at 17:00”, “on Fri 8 May at 17:00”' },
  { name: 'working days to due', about: '“in 3 working days”, “2 working days ago”' },
  { name: 'days late', about: 'whole days since the due date' },
  { name: 'units left', about: 'required units that are not done yet' },
  { name: 'units done', about: 'required units done' },
  { name: 'department', about: "the employee's department" },
  { name: 'site', about: "the employee's site" },
  { name: 'job', about: "the employee's job title" },
  { name: 'manager', about: "the name of the employee's manager" },
  { name: 'trainer', about: "the name of the course's owner" },
  { name: 'finished', about: 'the day of finishing' },
  { name: 'certificate serial', about: 'the serial of the certificate' },
  { name: 'certificate expiry', about: 'the day on which the certificate expires' },
  { name: 'quiz', about: 'the title of the quiz that the step hangs on' },
  { name: 'quiz result', about: 'its score, and whether it was passed' },
  { name: 'quiz attempt', about: 'which attempt it was' },
  { name: 'organisation', about: 'the name of the organisation' },
];

const KNOWN = new Set(MERGE_FIELDS.map((field) => field.name));
const FIELD = /\{([^{}\n]*)\}/g;

export interface Template {
  subject: string;
  /** paragraphs parted by an empty line */
  body: string;
  /** label of the button that opens the personal link or the certificate; null for none */
  button: string | null;
}

export type Values = Readonly<Record<string, string | null | undefined>>;
export type Segment = { text: string } | { field: string };

export function segmentsOf(text: string): Segment[] {
  const segments: Segment[] = [];
  let end = 0;
  for (const match of text.matchAll(FIELD)) {
    if (match.index > end) segments.push({ text: text.slice(end, match.index) });
    segments.push({ field: match[1]!.trim() });
    end = match.index + match[0].length;
  }
  if (end < text.length) segments.push({ text: text.slice(end) });
  return segments;
}

const textOf = (template: Template): string => [template.subject, template.body, template.button ?? ''].join('\n');

/** Fields by text: a preview asks the same few texts for each of 50,000 people, which took a fifth of its time. */
const fieldsByTemplate = new WeakMap<Template, readonly string[]>();

export function fieldsOf(template: Template): readonly string[] {
  let fields = fieldsByTemplate.get(template);
  if (!fields) {
    fields = [...new Set(segmentsOf(textOf(template)).flatMap((segment) => ('field' in segment ? [segment.field] : [])))];
    fieldsByTemplate.set(template, fields);
  }
  return fields;
}

/** Fields that no value will ever come for, each with the known field nearest to it. */
export function unknownFields(template: Template): { field: string; nearest: string }[] {
  return fieldsOf(template)
    .filter((field) => !KNOWN.has(field))
    .map((field) => ({ field, nearest: nearestField(field) }));
}

/** What keeps a template from being saved, in a sentence, or null. */
export function templateFault(template: Template): string | null {
  const unknown = unknownFields(template)[0];
  if (unknown) return `The text uses {${unknown.field}}, and there is no such merge field. Did you mean {${unknown.nearest}}?`;
  const rest = textOf(template).replace(FIELD, '');
  const brace = /[{}]/.exec(rest);
  if (brace) return `The text holds a single "${brace[0]}": a merge field is written {given name}, with both braces.`;
  if (template.subject.trim() === '') return 'The subject is empty; expected a line of text.';
  if (template.body.trim() === '') return 'The text is empty; expected at least one sentence.';
  return null;
}

function nearestField(field: string): string {
  let best = MERGE_FIELDS[0]!.name;
  let least = Infinity;
  for (const { name } of MERGE_FIELDS) {
    const distance = editDistance(field.toLowerCase().replace(/[_-]/g, ' '), name);
    if (distance < least) {
      least = distance;
      best = name;
    }
  }
  return best;
}

function editDistance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) next.push(Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    row = next;
  }
  return row[b.length]!;
}

/** @throws RangeError when a field has no value: the caller asks `missingFields` first */
function fill(text: string, values: Values): string {
  return segmentsOf(text)
    .map((segment) => {
      if ('text' in segment) return segment.text;
      const value = values[segment.field];
      if (value == null || value.trim() === '') throw new RangeError(`The merge field {${segment.field}} has no value.`);
      return value;
    })
    .join('');
}

export interface TableOfPeople {
  head: readonly string[];
  rows: readonly (readonly string[])[];
  /** under it: what holds for every line */
  note?: string;
}

export interface Rendered {
  subject: string;
  html: string;
  text: string;
}

const escapeHtml = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');

export interface RenderInput {
  template: Template;
  values: Values;
  /** where the button leads */
  link: string | null;
  /** above everything: why this reader gets it, where it was meant for somebody else */
  lead?: string | null;
  /** for a gathered message: one line a person */
  table: TableOfPeople | null;
  /** the line under the message: who reads the reply */
  footer: string;
}

/**
 * A message as it is sent: subject, HTML for mail programs (tables and inline styles only) and plain text.
 * @throws RangeError when a merge field has no value
 */
export function renderMessage({ template, values, link, lead = null, table, footer }: RenderInput): Rendered {
  const subject = fill(template.subject, values).replace(/\s+/g, ' ').trim();
  const paragraphs = fill(template.body, values)
    .trim()
    .split(/\n\s*\n/);
  const button = template.button && link ? { label: fill(template.button, values), link } : null;

  const quiet = (words: string): string => `<p style="margin:0 0 14px;color:#5B6472;font-size:14px">${escapeHtml(words)}</p>`;
  const htmlParts = paragraphs.map((p) => `<p style="margin:0 0 14px">${escapeHtml(p).replace(/\n/g, '<br>')}</p>`);
  if (lead) htmlParts.unshift(quiet(lead));
  if (table) htmlParts.push(tableHtml(table), ...(table.note ? [quiet(table.note)] : []));
  if (button)
    htmlParts.push(
      `<p style="margin:18px 0"><a href="${escapeHtml(button.link)}" ` +
        'style="background:#6C2A5E;color:#ffffff;text-decoration:none;padding:10px ' +
        `18px;border-radius:2px;display:inline-block">${escapeHtml(button.label)}</a></p>`,
    );
  const html =
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(subject)}` +
    '</title></head><body style="margin:0;background:#FBF8F3"><table role="presentation" width="100%" ' +
    'cellpadding="0" cellspacing="0"><tr><td align="center" style="padding:24px 12px"><table ' +
    'role="presentation" width="560" cellpadding="0" cellspacing="0" ' +
    'style="max-width:560px;width:100%;background:#ffffff;border:1px solid #DDD6CA"><tr><td ' +
    `style="padding:28px 32px;font:16px/1.5 'Atkinson Hyperlegible ` +
    `Next',Verdana,sans-serif;color:#1E2430">${htmlParts.join('')}<p style="margin:22px 0 ` +
    `0;padding-top:12px;border-top:1px solid #DDD6CA;color:#5B6472;font-size:14px">${escapeHtml(footer)}` +
    '</p></td></tr></table></td></tr></table></body></html>';

  const textParts = [...paragraphs];
  if (lead) textParts.unshift(lead);
  if (table) textParts.push(tableText(table), ...(table.note ? [table.note] : []));
  if (button) textParts.push(`${button.label}:\n${button.link}`);
  const text = `${textParts.join('\n\n')}\n\n-- \n${footer}\n`;
  return { subject, html, text };
}

function tableHtml(table: TableOfPeople): string {
  const cell = (tag: string, text: string, i: number) =>
    `<${tag} style="text-align:left;padding:6px ${i === table.head.length - 1 ? '0' : '12px'} 6px ` +
    `0;border-bottom:1px solid #DDD6CA;vertical-align:top;font-weight:${tag === 'th' ? '600' : '400'}` +
    `">${escapeHtml(text)}</${tag}>`;
  const line = (tag: string, cells: readonly string[]): string => `<tr>${cells.map((text, i) => cell(tag, text, i)).join('')}</tr>`;
  const style = 'border-collapse:collapse;font-size:15px;margin:0 0 14px';
  return [
    `<table cellpadding="0" cellspacing="0" width="100%" style="${style}">`,
    line('th', table.head),
    ...table.rows.map((row) => line('td', row)),
    '</table>',
  ].join('');
}

function tableText(table: TableOfPeople): string {
  const widths = table.head.map((head, i) => Math.max(head.length, ...table.rows.map((row) => (row[i] ?? '').length)));
  const line = (cells: readonly string[]) =>
    cells
      .map((c, i) => c.padEnd(widths[i]!))
      .join('  ')
      .trimEnd();
  return [line(table.head), widths.map((w) => '-'.repeat(w)).join('  '), ...table.rows.map(line)].join('\n');
}
