/** A merge field's identity: what stands between braces in a line of text, `{given name}`, and in a field of a written text. */
export interface MergeField {
  name: string;
  /** what it prints, for the editor */
  about: string;
  group: FieldGroup;
}

/** Whom or what a field is about, in the order in which they are offered. */
export const FIELD_GROUPS = [
  'The employee',
  'Who reads it',
  'The assignment',
  'The course',
  'What happened',
  'The quiz',
  'The certificate',
  'The house',
] as const;
export type FieldGroup = (typeof FIELD_GROUPS)[number];

const of = (group: FieldGroup, ...list: readonly (readonly [name: string, about: string])[]): MergeField[] =>
  list.map(([name, about]) => ({ name, about, group }));

export const MERGE_FIELDS: readonly MergeField[] = [
  ...of(
    'The employee',
    ['given name', "the employee's given name"],
    ['full name', "the employee's full name"],
    ['department', "the employee's department"],
    ['site', "the employee's site"],
    ['job', "the employee's job title"],
    ['manager', "the name of the employee's manager"],
  ),
  ...of('Who reads it', ['recipient', 'the given name of whoever reads the message']),
  ...of(
    'The assignment',
    ['assigned', 'the day of assignment'],
    ['due', 'the due date and time, in words'],
    ['time to due', '“in 2 days”, “3 days ago”'],
    ['due when', '“tomorrow at 17:00”, “on Fri 8 May at 17:00”'],
    ['working days to due', '“in 3 working days”, “2 working days ago”'],
    ['days late', 'whole days since the due date'],
    ['units left', 'required units that are not done yet'],
    ['units done', 'required units done'],
    ['finished', 'the day of finishing'],
  ),
  ...of(
    'The course',
    ['course', 'the title of the course'],
    ['course code', 'the code of the course'],
    ['course summary', 'the summary of the course'],
    ['trainer', "the name of the course's owner"],
  ),
  ...of(
    'What happened',
    ['unit', 'the title of the unit that the step hangs on'],
    ['signed off', '“met”, “not met” or “absent”, of the sign-off that the step hangs on'],
    ['signed off on', 'the day of that sign-off'],
    ['session', 'what the session is called that the step hangs on'],
    ['session ends', 'when that session ends'],
    ['session place', 'where it takes place, or its link'],
    ['session starts', 'when it starts, in words'],
    ['reason given', 'what the employee was told with a new due date, a waiver or a withdrawal'],
  ),
  ...of(
    'The quiz',
    ['quiz', 'the title of the quiz that the step hangs on'],
    ['quiz result', 'its score, and whether it was passed'],
    ['quiz attempt', 'which attempt it was'],
  ),
  ...of(
    'The certificate',
    ['certificate serial', 'the serial of the certificate'],
    ['certificate expiry', 'the day on which the certificate expires'],
  ),
  ...of('The house', ['organisation', 'the name of the organisation'], ['sender', 'the name that the message comes from']),
];

const KNOWN = new Set(MERGE_FIELDS.map((field) => field.name));
export const isField = (name: string): boolean => KNOWN.has(name);

/** The known field that a mistyped one comes nearest to. */
export function nearestField(field: string, known: readonly MergeField[] = MERGE_FIELDS): string {
  let best = known[0]!.name;
  let least = Infinity;
  for (const { name } of known) {
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
