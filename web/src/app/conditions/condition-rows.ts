import { ChangeDetectionStrategy, Component, computed, forwardRef, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { DateField } from '../shared/pick/date-field.ts';
import { FindField } from '../shared/pick/find-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { CONDITIONS, conditionsFor, leafName, OUTCOME_WORDS, PRESENCE_WORDS, STATES, type ConditionFact, type ConditionValue, type Leaf, type LeafName } from '@nudrik/core'; // prettier-ignore
import { emptyLeaf, newGroup, newRow, valueOf, valuesOf, withValue, withValues, type GroupRow, type Row } from './condition-model.ts';

/** What a condition is called after "is" or "has", in the order in which they are offered. */
const KINDS: readonly (readonly [LeafName, 'is' | 'has', string])[] = [
  ['department', 'is', 'in department'],
  ['site', 'is', 'at site'],
  ['group', 'is', 'in group'],
  ['job', 'is', 'working as'],
  ['line', 'is', 'in the line of'],
  ['joinedWithin', 'has', 'joined in the last'],
  ['joinedAfter', 'has', 'joined after'],
  ['joinedBefore', 'has', 'joined before'],
  ['number', 'has', 'the number'],
  ['holds', 'is', 'holding'],
  ['lacks', 'is', 'lacking'],
  ['state', 'is', 'in the state'],
  ['progressAtLeast', 'has', 'done at least'],
  ['unitFinished', 'has', 'finished the unit'],
  ['unitOpened', 'has', 'open: the unit'],
  ['quizPassed', 'has', 'passed the quiz'],
  ['quizScore', 'has', 'a score in the quiz'],
  ['quizAttempts', 'has', 'tried the quiz'],
  ['signedOff', 'is', 'signed off as'],
  ['idleDays', 'has', 'done nothing for'],
  ['manager', 'has', 'a manager who is'],
  ['round', 'is', 'in round'],
  ['replied', 'has', 'replied'],
  ['stepSent', 'has', 'been sent'],
  ['stepBounced', 'has', 'had back'],
  ['fromDate', 'is', 'asked on or after'],
  ['beforeDate', 'is', 'asked before'],
];
const VERB = new Map(KINDS.map(([name, verb]) => [name, verb]));

const MODES: Choice<'all' | 'any'>[] = [
  { value: 'all', label: 'all of these hold' },
  { value: 'any', label: 'any of these holds' },
];
const [IS, HAS_IT] = (['is', 'has'] as const).map((verb): Choice<boolean>[] => [
  { value: false, label: verb },
  { value: true, label: `${verb} not` },
]) as [Choice<boolean>[], Choice<boolean>[]];

/** What stands behind a number. */
const AFTER: Partial<Record<ConditionValue, string>> = {
  days: 'days',
  percent: '%',
  count: 'or later',
  score: '% or more',
  attempts: 'times or more',
};

const same = (words: readonly string[]): { id: string; name: string }[] => words.map((word) => ({ id: word, name: word }));
const named = (words: Readonly<Record<string, string>>): { id: string; name: string }[] => Object.entries(words).map(([id, name]) => ({ id, name })); // prettier-ignore

/** What conditions choose from, by id and name. */
export interface ConditionChoices {
  departments: readonly { id: string; name: string }[];
  sites: readonly { id: string; name: string }[];
  groups: readonly { id: string; name: string }[];
  jobs: readonly string[];
  courses: readonly { id: string; title: string }[];
  /** of the course whose plan it is */
  units?: readonly { id: string; title: string; kind: string }[];
  steps?: readonly { id: string; name: string }[];
}

/** People whom conditions name. */
export abstract class ConditionPeople {
  abstract nameOf(id: string): string;
  abstract learn(person: { id: string; name: string }): void;
  abstract findPeople(text: string): Promise<{ id: string; name: string; words: string }[]>;
}

/** Conditions, one a row, that read as a sentence, of audiences and of plans; a group of rows stands indented and may hold groups. */
@Component({
  selector: 'nk-condition-rows',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, FindField, NumberField, SelectField, forwardRef(() => ConditionRows)],
  templateUrl: './condition-rows.html',
  styleUrl: './condition-rows.css',
})
export class ConditionRows {
  private readonly store = inject(ConditionPeople);
  readonly group = input.required<GroupRow>();
  readonly facts = input.required<ConditionChoices>();
  /** what is known where it is asked: an audience knows people and what they hold */
  readonly asks = input<readonly ConditionFact[]>(['person', 'held']);
  /** what no condition means */
  readonly none = input('everyone is in');
  readonly depth = input(0);
  readonly changed = output<GroupRow>();
  protected readonly kinds = computed(() => {
    const known = conditionsFor(...this.asks());
    return KINDS.flatMap(([value, , label]) => (known.includes(value) ? [{ value, label }] : []));
  });
  protected readonly takes = (leaf: Leaf): ConditionValue => CONDITIONS[leafName(leaf)].takes;
  protected readonly after = (leaf: Leaf): string => AFTER[this.takes(leaf)] ?? '';
  protected readonly valueOf = valueOf as (leaf: Leaf) => never;
  protected readonly modes = MODES;
  protected readonly nameOf = leafName;
  protected readonly found = signal<{ id: string; name: string; words: string }[]>([]);
  private readonly free = new Map<string, Choice[]>();
  /** what each kind of condition chooses from, by id and name */
  protected readonly options = computed((): Partial<Record<LeafName, readonly { id: string; name: string }[]>> => {
    const facts = this.facts();
    const courses = facts.courses.map(({ id, title }) => ({ id, name: title }));
    return {
      department: facts.departments,
      site: facts.sites,
      group: facts.groups,
      job: facts.jobs.map((job) => ({ id: job, name: job })),
      holds: courses,
      lacks: courses,
      state: same(STATES),
      signedOff: named(OUTCOME_WORDS),
      manager: named(PRESENCE_WORDS),
    };
  });

  /** What a condition on one unit or step chooses from. */
  protected readonly single = computed((): Partial<Record<LeafName, Choice[]>> => {
    const { units = [], steps = [] } = this.facts();
    const list = (of: typeof units): Choice[] => of.map(({ id, title }) => ({ value: id, label: title }));
    const all = list(units);
    const quizzes = list(units.filter(({ kind }) => kind === 'quiz'));
    const sent = steps.map(({ id, name }): Choice => ({ value: id, label: name }));
    return { unitFinished: all, unitOpened: all, quizPassed: quizzes, quizScore: quizzes, quizAttempts: quizzes, stepSent: sent, stepBounced: sent }; // prettier-ignore
  });

  protected setValue(index: number, leaf: Leaf, value: unknown): void {
    this.setLeaf(index, withValue(leaf, value));
  }

  protected joint(index: number): string {
    return index === 0 ? '' : this.group().mode === 'all' ? 'and' : 'or';
  }

  protected verbs(row: Row): Choice<boolean>[] {
    return row.kind === 'leaf' && VERB.get(leafName(row.leaf)) === 'has' ? HAS_IT : IS;
  }

  protected values(leaf: Leaf): { id: string; name: string }[] {
    const name = leafName(leaf);
    const options = this.options()[name];
    return (valuesOf(leaf) ?? []).map((id) => ({
      id,
      name:
        name === 'line' ? this.store.nameOf(id) : name === 'number' ? id : (options?.find((option) => option.id === id)?.name ?? 'gone'),
    }));
  }

  /** What a condition can still take in; the same list as long as nothing changes. */
  protected unused(leaf: Leaf): Choice[] {
    const used = valuesOf(leaf) ?? [];
    const fitting = (this.options()[leafName(leaf)] ?? []).filter(({ id }) => !used.includes(id));
    const key = `${leafName(leaf)} ${fitting.map(({ id, name }) => `${id}=${name}`).join()}`;
    const known = this.free.get(key) ?? fitting.map(({ id, name }) => ({ value: id, label: name }));
    this.free.set(key, known);
    return known;
  }

  private put(index: number, row: Row): void {
    this.changed.emit({ ...this.group(), rows: this.group().rows.map((old, i) => (i === index ? row : old)) });
  }

  protected setMode(mode: 'all' | 'any'): void {
    this.changed.emit({ ...this.group(), mode });
  }

  protected setNot(index: number, isNot: boolean): void {
    this.put(index, { ...this.group().rows[index]!, isNot });
  }

  protected setKind(index: number, name: LeafName): void {
    this.put(index, { kind: 'leaf', isNot: this.group().rows[index]!.isNot, leaf: emptyLeaf(name) });
  }

  protected setLeaf(index: number, leaf: Leaf): void {
    this.put(index, { kind: 'leaf', isNot: this.group().rows[index]!.isNot, leaf });
  }

  protected setInner(index: number, inner: GroupRow): void {
    this.put(index, inner);
  }

  protected addValue(index: number, leaf: Leaf, value: string): void {
    const values = valuesOf(leaf) ?? [];
    if (value && !values.includes(value)) this.setLeaf(index, withValues(leaf, [...values, value]));
  }

  protected dropValue(index: number, leaf: Leaf, value: string): void {
    this.setLeaf(
      index,
      withValues(
        leaf,
        (valuesOf(leaf) ?? []).filter((other) => other !== value),
      ),
    );
  }

  protected addNumbers(index: number, leaf: Leaf, text: string): void {
    const numbers = text.split(/[\s,;]+/).filter(Boolean);
    this.setLeaf(index, withValues(leaf, [...new Set([...(valuesOf(leaf) ?? []), ...numbers])]));
  }

  protected setBelow(index: number, leaf: Leaf, below: boolean): void {
    if ('department' in leaf) this.setLeaf(index, { ...leaf, below });
  }

  protected async search(text: string): Promise<void> {
    this.found.set(await this.store.findPeople(text));
  }

  protected pick(index: number, leaf: Leaf, person: { id: string; name: string }): void {
    this.store.learn(person);
    this.addValue(index, leaf, person.id);
  }

  protected add(): void {
    this.changed.emit({ ...this.group(), rows: [...this.group().rows, newRow()] });
  }

  protected addGroup(): void {
    this.changed.emit({ ...this.group(), rows: [...this.group().rows, newGroup(this.group().mode === 'all' ? 'any' : 'all')] });
  }

  protected remove(index: number): void {
    this.changed.emit({ ...this.group(), rows: this.group().rows.filter((_, i) => i !== index) });
  }
}
