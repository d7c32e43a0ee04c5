import { isOpenState, standingAt, STATES, type Assignment } from '../assignments/state.ts';
import { CONDITIONS, leafName, type Names } from '../conditions/catalogue.ts';
import { holds, leavesOf, tellCondition, type Condition } from '../conditions/condition.ts';
import { whyNever, type Possible } from '../conditions/possible.ts';
import { plainWords, withPhrase } from '../messages/body.ts';
import { fieldsNeeded, partsOfMessage, templateFor } from '../messages/template.ts';
import { textsOf, withTexts } from '../messages/texts.ts';
import type { MissingOf } from '../notices/decide.ts';
import type { Roster } from '../people/person.ts';
import type { RehearsalLine } from '../rehearsal/rehearse.ts';
import { dayOf, type LocalDate } from '../time/calendar.ts';
import { tellAmount, tellDay, tellList } from '../time/words.ts';
import { DAY_MS, HOUR, MINUTE, type Instant } from '../time/zone.ts';
import { outlivesAssignment } from './anchor.ts';
import type { PlanStep } from './standard.ts';
import { isElapsed, windowOf, type Unit } from './step.ts';

export const WARNING_KINDS = [
  'never',
  'before-assignment',
  'after-due',
  'no-recipient',
  'unreachable',
  'gap',
  'holiday',
  'day-off',
  'crowded',
  'flood',
  'words',
  'alike',
] as const;
export type WarningKind = (typeof WARNING_KINDS)[number];

/** What would mend a warning: a change of one step, or its removal. */
export interface Mend {
  /** for the button: Send it inside the send window */
  words: string;
  step: string;
  /** null takes the step away */
  change: Partial<PlanStep> | null;
}

/** What is to be known of a plan before it is published, with the people whom it is about. */
export interface PlanWarning {
  kind: WarningKind;
  /** the step that it is about; of two, the later one */
  step: string;
  /** one sentence */
  words: string;
  /** whom it is about, by assignment and by id; empty where it is about the plan alone */
  people: { assignment: string; person: string }[];
  mend: Mend | null;
}

/** From so many messages of one plan to one person on a day on is too much. */
const CROWDED = 3;
/** From so many messages of one step to one reader on a day on they had better be gathered. */
const FLOOD = 6;

export interface TextWarningsInput {
  steps: readonly PlanStep[];
  names: Names;
  today: LocalDate | null;
  /** the units of the course */
  units?: ReadonlySet<string>;
  isThere?: Possible['isThere'];
}

/** What can be seen of a plan without looking at anybody: conditions that can never hold, words that contradict a moment, steps that say the same. */
export function textWarnings({ steps, ...about }: TextWarningsInput): PlanWarning[] {
  const on = steps.filter((step) => step.on);
  return [...on.flatMap((step) => neverWarnings(step, on, about)), ...on.flatMap(wordsWarnings), ...alikeWarnings(on)];
}

/** The states that an assignment may have at the moment of a step. */
function statesAt(step: PlanStep): readonly string[] {
  const { event } = step.anchor;
  if (event === 'waived' || event === 'withdrawn') return [event];
  if (event === 'finished' || event === 'certificate-issued') return ['finished', 'finished late'];
  if (outlivesAssignment(event)) return STATES;
  if (event === 'due' && step.offset.amount < 0) return ['not started', 'in progress'];
  if (event === 'due' && step.offset.amount > 0 && windowOf(step) !== 'earlier') return ['overdue'];
  const open = STATES.filter(isOpenState);
  return event === 'signed-off' ? [...open, 'finished', 'finished late'] : open;
}

function neverWarnings(step: PlanStep, on: readonly PlanStep[], about: Omit<TextWarningsInput, 'steps'>): PlanWarning[] {
  const { names, today, units, isThere } = about;
  const possible: Possible = {
    names,
    today,
    states: statesAt(step),
    steps: new Set(on.map(({ id }) => id)),
    ...(units && { units }),
    ...(isThere && { isThere }),
  };
  const never = (words: string, mend: Mend | null): PlanWarning[] => [
    { kind: 'never', step: step.id, words: `“${step.name}” can never go: ${words}.`, people: [], mend },
  ];
  const { unit, section, date } = step.anchor;
  if (unit !== undefined && units && !units.has(unit)) return never('it waits for a unit that is no longer in the course', null);
  if (section !== undefined && units && step.anchor.units?.length === 0) return never('it waits for a section that has no unit', null);
  if (step.endsOn !== null && today !== null && step.endsOn < today) return never(`it ended on ${tellDay(dayOf(step.endsOn))}`, { words: 'Let it go on', step: step.id, change: { endsOn: null } }); // prettier-ignore
  if (date !== undefined && today !== null && date < today && step.offset.amount <= 0 && !step.repeat) return never(`its day, ${tellDay(dayOf(date))}, has passed`, null); // prettier-ignore
  if (step.onlyIf) {
    const why = whyNever(step.onlyIf, possible);
    if (why) return never(`it goes only if ${tellCondition(step.onlyIf, names)}; ${why}`, { words: 'Take the condition away', step: step.id, change: { onlyIf: null } }); // prettier-ignore
    const idle = idleOf(step);
    if (idle) return never(idle, { words: 'Take the condition away', step: step.id, change: { onlyIf: null } });
  }
  if (step.stopWhen) {
    const why = whyNever({ not: step.stopWhen }, possible);
    if (why) return never(`it stops when ${tellCondition(step.stopWhen, names)}, and that is always so`, { words: 'Let it not stop', step: step.id, change: { stopWhen: null } }); // prettier-ignore
  }
  return partsOfMessage(step.message).flatMap(({ attrs: { onlyIf } }): PlanWarning[] => {
    const why = onlyIf && whyNever(onlyIf, possible);
    const words = onlyIf && `“${step.name}”: nobody would read the part of its text that is there only if ${tellCondition(onlyIf, names)}; ${why}.`; // prettier-ignore
    return why && words ? [{ kind: 'never', step: step.id, words, people: [], mend: null }] : [];
  });
}

/** A step that follows so many days of silence and asks for more. */
function idleOf({ anchor, offset, onlyIf, repeat }: PlanStep): string | null {
  if (anchor.event !== 'idle' || repeat || offset.unit !== 'days' || !onlyIf) return null;
  const asked = conjunctsOf(onlyIf).flatMap((part) => ('idleDays' in part ? part.idleDays : []));
  const most = Math.max(0, ...asked);
  return most > offset.amount ? `it goes ${tellAmount(offset.amount, 'days')} after the last activity, and only if nothing was done for ${tellAmount(most, 'days')}` : null; // prettier-ignore
}

/** The parts of a condition that all have to hold. */
const conjunctsOf = (condition: Condition): Condition[] => ('all' in condition ? condition.all.flatMap(conjunctsOf) : [condition]);

const NUMBERS = ['a', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'];
const NUMBER = `(${NUMBERS.join('|')}|an|\\d{1,3})`;
const SPAN = `${NUMBER}[ \\u00a0-](minutes?|hours?|days?|working days?|weeks?|months?)`;
/** Words that say how far the moment of a step is from what it hangs on: "in two days", "48 hours to go", "a week ago". */
const DISTANCES: readonly RegExp[] = [
  new RegExp(`\\b(?:in|within|since|for) ${SPAN}(?! (?:of|course|training))\\b`, 'giu'),
  new RegExp(`\\b${SPAN} (?:left|to go|remain(?:ing)?|from now|before|ago|late|overdue)\\b`, 'giu'),
];
const MS_OF: Partial<Record<Unit, number>> = { minutes: MINUTE, hours: HOUR, days: DAY_MS, weeks: 7 * DAY_MS };
const RELATIVE: readonly { word: RegExp; days: number }[] = [
  { word: /\btomorrow\b/iu, days: 1 },
  { word: /\byesterday\b/iu, days: 1 },
];

const numberOf = (text: string): number =>
  /^\d/.test(text) ? Number(text) : text.toLowerCase() === 'an' ? 1 : NUMBERS.indexOf(text.toLowerCase()) || 1;
const unitOf = (text: string): Unit => `${text.toLowerCase().replace(/s$/, '')}s` as Unit;

/** A text with its merge fields taken out: what they print is true whenever it is read. */
const literal = (text: string): string => text.replace(/\{[^{}\n]*\}/g, '\u0000');

/** Where a text tells a distance in fixed words that the step's moment contradicts. */
function wordsWarnings(step: PlanStep): PlanWarning[] {
  const { amount, unit } = step.offset;
  if (amount === 0 && !step.repeat) return [];
  if (!['due', 'assigned', 'expires', 'session-starts', 'finished', 'idle'].includes(step.anchor.event)) return [];
  // distances are known by their English words, whichever of its texts they stand in
  const text = spoken(step);
  const is = Math.abs(amount);
  const misnamed = misnamedWarning(step);
  if (misnamed) return [misnamed];
  for (const pattern of DISTANCES)
    for (const match of literal(text).matchAll(pattern)) {
      const [phrase, number, saidUnit] = match;
      const said = { amount: numberOf(number!), unit: unitOf(saidUnit!) };
      const isRepeated = step.repeat !== null && step.repeat.times > 1;
      if (!isRepeated && agrees(said, { amount: is, unit })) continue;
      const when = isRepeated
        ? `it goes ${step.repeat!.times} times, each at another distance`
        : `it goes ${tellAmount(is, unit)} ${amount < 0 ? 'before' : 'after'}`;
      return [wordsWarning(step, phrase, when)];
    }
  for (const { word, days } of RELATIVE) {
    const found = word.exec(literal(text));
    if (found && !agrees({ amount: days, unit: 'days' }, { amount: is, unit })) return [wordsWarning(step, found[0], `it goes ${tellAmount(is, unit)} ${amount < 0 ? 'before' : 'after'}`)]; // prettier-ignore
  }
  return [];
}

/** A step whose name tells a distance that is not its own: the ledger would tell it for years. */
function misnamedWarning(step: PlanStep): PlanWarning | null {
  const { amount, unit } = step.offset;
  const is = Math.abs(amount);
  if (step.repeat && step.repeat.times > 1) return null;
  for (const pattern of DISTANCES)
    for (const [phrase, number, saidUnit] of step.name.matchAll(pattern)) {
      if (agrees({ amount: numberOf(number!), unit: unitOf(saidUnit!) }, { amount: is, unit })) continue;
      const own = unit === 'hours' && is % 24 === 0 ? tellAmount(is / 24, 'days') : tellAmount(is, unit);
      const name = step.name.replace(phrase, phrase.replace(new RegExp(SPAN, 'iu'), own));
      return {
        kind: 'words',
        step: step.id,
        words: `“${step.name}” goes ${tellAmount(is, unit)} ${amount < 0 ? 'before' : 'after'}: its name says another distance.`,
        people: [],
        mend: { words: `Call it “${name}”`, step: step.id, change: { name } },
      };
    }
  return null;
}

/** Whether two spans are the same; what is of another kind (working days, months) is not compared. */
function agrees(a: { amount: number; unit: Unit }, b: { amount: number; unit: Unit }): boolean {
  if (a.unit === b.unit) return a.amount === b.amount;
  const [x, y] = [MS_OF[a.unit], MS_OF[b.unit]];
  return x === undefined || y === undefined ? true : a.amount * x === b.amount * y;
}

function wordsWarning(step: PlanStep, phrase: string, when: string): PlanWarning {
  const isDue = step.anchor.event === 'due';
  // a field says the distance itself: what says it with words of its own around is left to its author
  const canReplace = isDue && /^(?:in |.* ago$)/i.test(phrase);
  const message = withTexts(step.message, (text) => ({
    ...text,
    subject: text.subject.replace(phrase, '{time to due}'),
    body: withPhrase(text.body, phrase, '{time to due}'),
  }));
  return {
    kind: 'words',
    step: step.id,
    words: `“${step.name}” says “${phrase}”, and ${when}.`,
    people: [],
    mend: canReplace ? { words: 'Let {time to due} say it', step: step.id, change: { message } } : null,
  };
}

/** The subject and the text of a message, in each of its languages. */
const spoken = ({ message }: PlanStep): string =>
  textsOf(message)
    .map(({ text }) => `${text.subject}\n${plainWords(text.body)}`)
    .join('\n');
const textOf = (step: PlanStep): string => spoken(step).replace(/\s+/g, ' ').trim().toLowerCase();

/** Steps that say the same to the same readers. */
function alikeWarnings(on: readonly PlanStep[]): PlanWarning[] {
  const found: PlanWarning[] = [];
  for (const [i, later] of on.entries()) {
    const same = on.slice(0, i).find((step) => textOf(step) === textOf(later) && step.to.some((role) => later.to.includes(role)) && !areParted(step, later)); // prettier-ignore
    if (!same) continue;
    const isOne = JSON.stringify([same.anchor, same.offset, same.at]) === JSON.stringify([later.anchor, later.offset, later.at]);
    found.push({
      kind: 'alike',
      step: later.id,
      words: `“${later.name}” says word for word what “${same.name}” says${isOne ? ', at the same moment' : ''}.`,
      people: [],
      mend: isOne ? { words: `Take “${later.name}” away`, step: later.id, change: null } : null,
    });
  }
  return found;
}

/** Whether the conditions of two steps part their readers, so that nobody gets both. */
const areParted = (a: PlanStep, b: PlanStep): boolean =>
  a.onlyIf !== null && b.onlyIf !== null && whyNever({ all: [a.onlyIf, b.onlyIf] }, { names: SILENT, today: null }) !== null;
const SILENT: Names = { department: String, site: String, group: String, person: String, course: String, unit: String, step: String };

export interface PeopleWarningsInput {
  steps: readonly PlanStep[];
  assignments: readonly Assignment[];
  roster: Roster;
  now: Instant;
  /** the rehearsal of these steps for these assignments, from the first of them on */
  lines: readonly RehearsalLine[];
  /** merge fields without a value: given where gaps in parts of texts are to be told */
  missingOf?: MissingOf;
}

/** What can be seen of a plan in the people it is for: it falls before their assignment, on a day off, too often, to nobody. */
export function peopleWarnings(input: PeopleWarningsInput): PlanWarning[] {
  const { steps, assignments, lines } = input;
  const assignmentOf = new Map(assignments.map((assignment) => [assignment.id, assignment]));
  const linesOf = groupedBy(lines, ({ step }) => step);
  const found = steps.filter((step) => step.on).flatMap((step) => ofStep(step, linesOf.get(step.id) ?? [], assignmentOf, input));
  return [...found, ...unreachableWarnings(input, assignmentOf), ...crowdedWarnings(input, assignmentOf)];
}

function groupedBy<T>(list: readonly T[], keyOf: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of list) {
    const key = keyOf(item);
    const group = groups.get(key);
    if (group) group.push(item);
    else groups.set(key, [item]);
  }
  return groups;
}

/** Each assignment of some lines once, with its person. */
function peopleOf(lines: readonly RehearsalLine[], assignmentOf: ReadonlyMap<string, Assignment>): PlanWarning['people'] {
  return [...new Set(lines.map(({ assignment }) => assignment))].map((assignment) => ({
    assignment,
    person: assignmentOf.get(assignment)!.person,
  }));
}

const count = (people: PlanWarning['people'], roster: Roster): string =>
  people.length === 1 ? roster.getPerson(people[0]!.person).name : tellAmount(people.length, 'people');

function ofStep(
  step: PlanStep,
  lines: readonly RehearsalLine[],
  assignmentOf: ReadonlyMap<string, Assignment>,
  { roster, now, assignments, missingOf }: PeopleWarningsInput,
): PlanWarning[] {
  const found: PlanWarning[] = [];
  const warn = (kind: WarningKind, about: readonly RehearsalLine[], words: (who: string) => string, mend: Mend | null = null): void => {
    if (about.length === 0) return;
    const people = peopleOf(about, assignmentOf);
    found.push({ kind, step: step.id, words: `“${step.name}” ${words(count(people, roster))}.`, people, mend });
  };
  const name = (mends: string, change: Partial<PlanStep>): Mend => ({ words: mends, step: step.id, change });
  const going = lines.filter(({ outcome, at }) => outcome === 'send' && at! >= now);
  const isOpen = (line: RehearsalLine): boolean => isOpenState(standingAt(assignmentOf.get(line.assignment)!, now).state);

  const before = lines.filter(({ because, occurrence }) => because === 'before-assignment' && occurrence === 0).filter(isOpen);
  warn('before-assignment', before, (who) => `falls before the assignment of ${who}, who ${before.length === 1 ? 'does' : 'do'} not get it`, shorter(step, before, assignmentOf)); // prettier-ignore

  if (step.anchor.event === 'assigned' && step.kind !== 'invitation') {
    const late = going.filter((line) => line.slot!.moment >= standingAt(assignmentOf.get(line.assignment)!, line.at!).dueAt);
    warn('after-due', late, (who) => `would reach ${who} after the due date`);
  }

  warn('no-recipient', lines.filter(({ because, at }) => because === 'no-recipient' && at! >= now), (who) => `finds nobody to write to for ${who}`); // prettier-ignore

  const readerOf = (line: RehearsalLine) => roster.person(line.person) ?? roster.getPerson(assignmentOf.get(line.assignment)!.person);
  if (windowOf(step) === 'exact' && step.kind !== 'certificate') {
    const dayOfReader = (line: RehearsalLine): 'holiday' | 'day-off' | null => {
      const calendar = roster.calendarOf(readerOf(line));
      const day = calendar.zone.dayAt(line.at!);
      return calendar.isHoliday(day) ? 'holiday' : calendar.isWorkingDay(day) ? null : 'day-off';
    };
    const mend = name('Send it inside the send window', { window: null });
    for (const kind of ['holiday', 'day-off'] as const) {
      const off = going.filter((line) => dayOfReader(line) === kind);
      const sites = [...groupedBy(off, (line) => readerOf(line).site ?? '')].sort(([, a], [, b]) => b.length - a.length);
      const where = sites.length > 0 && sites[0]![0] !== '' ? `, ${sites.length > 1 ? 'most' : 'all'} at ${sites[0]![0]}` : '';
      warn(kind, off, (who) => `goes at the exact moment, which is on a ${kind === 'holiday' ? 'holiday' : 'day off'} for ${who}${where}`, mend); // prettier-ignore
    }
  }

  if (missingOf && partsOfMessage(step.message).length > 0) {
    // what everybody reads is looked for by what people lack; who reads a part only its condition tells
    const plain = new Set(textsOf(step.message).flatMap(({ text }) => fieldsNeeded(templateFor(text, () => false))));
    const gaps = going.flatMap((line) => {
      const person = readerOf(line);
      const fields = missingOf(step, assignmentOf.get(line.assignment)!, { person, address: person.email, path: [] }, line.at!);
      return fields.filter((field) => !plain.has(field)).map((field) => ({ field, line }));
    });
    for (const [field, list] of groupedBy(gaps, (gap) => gap.field))
      warn('gap', list.map(({ line }) => line), (who) => `would have a gap for ${who} and is held then: a part that they read prints {${field}}, which has no value`); // prettier-ignore
  }

  if (step.gather === 'none' && step.to.some((role) => role !== 'employee')) {
    // by its own moment: a full day would only put them off
    const momentOf = (line: RehearsalLine): Instant => line.slot!.at;
    const perDay = groupedBy(
      going.filter(({ to, person }) => to !== 'employee' && person !== null),
      (line) => `${line.person}/${roster.calendarOf(roster.getPerson(line.person!)).zone.dayAt(momentOf(line))}`,
    );
    const [most] = [...perDay.values()].sort((a, b) => b.length - a.length);
    if (most && most.length >= FLOOD) {
      const reader = roster.getPerson(most[0]!.person!);
      const day = tellDay(roster.calendarOf(reader).zone.dayAt(momentOf(most[0]!)), null);
      const mend = isElapsed(step.offset.unit) ? null : name('One message a day', { gather: 'per day', at: step.at ?? '09:00' });
      warn(
        'flood',
        most,
        () => `would bring ${reader.name} ${tellAmount(most.length, 'mails')} on ${day}, one for each of their people`,
        mend,
      );
    }
  }

  if (step.onlyIf && assignments.length > 0 && leavesOf(step.onlyIf).every((leaf) => CONDITIONS[leafName(leaf)].asks === 'person')) {
    const { onlyIf } = step;
    const isMet = assignments.some((assignment) =>
      holds(onlyIf, { person: roster.getPerson(assignment.person) } as never, roster.structure),
    );
    if (!isMet)
      found.push({
        kind: 'never',
        step: step.id,
        words: `“${step.name}” goes to none of ${assignments.length === 1 ? 'the one person' : `the ${assignments.length} people`}: it goes only if ${tellCondition(onlyIf, roster.names)}.`,
        people: [],
        mend: null,
      });
  }
  return found;
}

const NATURAL: Partial<Record<Unit, number>> = { hours: HOUR, days: DAY_MS, 'working days': DAY_MS * 1.5, weeks: 7 * DAY_MS };

/** A reminder that comes before the assignment of some would reach all of them if it came so much nearer to the due date. */
function shorter(step: PlanStep, before: readonly RehearsalLine[], assignmentOf: ReadonlyMap<string, Assignment>): Mend | null {
  const per = NATURAL[step.offset.unit];
  if (step.anchor.event !== 'due' || step.offset.amount >= 0 || per === undefined || before.length === 0) return null;
  const leads = before.map((line) => line.slot!.anchorAt - assignmentOf.get(line.assignment)!.assignedAt);
  const amount = Math.floor(Math.min(...leads) / per) - (step.at === null ? 0 : 1);
  if (amount < 1 || amount >= -step.offset.amount) return null;
  return {
    words: `Move it to ${tellAmount(amount, step.offset.unit)} before due`,
    step: step.id,
    change: { offset: { ...step.offset, amount: -amount } },
  };
}

/** Who reads nothing since their mail comes back: told once, with all that waits. */
function unreachableWarnings({ steps, roster, lines }: PeopleWarningsInput, assignmentOf: ReadonlyMap<string, Assignment>): PlanWarning[] {
  const waiting = lines.filter(({ outcome, held }) => outcome === 'hold' && held === 'unreachable');
  if (waiting.length === 0) return [];
  const people = peopleOf(waiting, assignmentOf);
  const ids = new Set(waiting.map(({ step }) => step));
  const names = tellList(steps.filter(({ id }) => ids.has(id)).map(({ name }) => `“${name}”`));
  return [
    {
      kind: 'unreachable',
      step: waiting[0]!.step,
      words: `Mail comes back: ${names} ${ids.size === 1 ? 'waits' : 'wait'} for ${count(people, roster)}.`,
      people,
      mend: null,
    },
  ];
}

/** Several messages of one plan to one person on one day. */
function crowdedWarnings({ steps, roster, now, lines }: PeopleWarningsInput, assignmentOf: ReadonlyMap<string, Assignment>): PlanWarning[] {
  const nameOf = new Map(steps.map((step) => [step.id, step.name]));
  const dayOfLine = (line: RehearsalLine): number =>
    roster.calendarOf(roster.getPerson(assignmentOf.get(line.assignment)!.person)).zone.dayAt(line.at!);
  const perDay = groupedBy(
    lines.filter(({ outcome, to, at }) => outcome === 'send' && to === 'employee' && at! >= now),
    (line) => `${line.assignment}/${dayOfLine(line)}`,
  );
  // the same steps on one day are told once, with everybody whom it happens to
  const bySteps = groupedBy(
    [...perDay.values()].filter((list) => list.length >= CROWDED),
    (list) => [...new Set(list.map(({ step }) => step))].sort().join(),
  );
  return [...bySteps.values()].map((days): PlanWarning => {
    const first = days[0]!;
    const people = peopleOf(days.flat(), assignmentOf);
    const { zone } = roster.calendarOf(roster.getPerson(people[0]!.person));
    const names = [...new Set(first.map(({ step }) => `“${nameOf.get(step) ?? step}”`))];
    const who = count(people, roster);
    const day = people.length === 1 ? `, ${tellDay(zone.dayAt(first[0]!.at!), null)}` : '';
    return {
      kind: 'crowded',
      step: first.at(-1)!.step,
      words:
        names.length === 1
          ? `${names[0]} reaches ${who} ${first.length} times on one day${day}.`
          : `${tellList(names)} reach ${who} on one day${day}: ${tellAmount(first.length, 'messages')} of one plan.`,
      people,
      mend: null,
    };
  });
}
