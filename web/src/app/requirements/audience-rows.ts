import { ChangeDetectionStrategy, Component, computed, forwardRef, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { DateField } from '../shared/pick/date-field.ts';
import { FindField } from '../shared/pick/find-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { leafName, type Leaf, type LeafName } from '@nudrik/core';
import type { BuilderFacts } from './audience.worker.ts';
import { emptyLeaf, type AudienceLeafName, newGroup, newRow, valuesOf, withValues, type GroupRow, type Row } from './audience-model.ts';
import { AudienceStore } from './audience.store.ts';

const KINDS: readonly (readonly [AudienceLeafName, string])[] = [
  ['department', 'in department'],
  ['site', 'at site'],
  ['group', 'in group'],
  ['job', 'working as'],
  ['line', 'in the line of'],
  ['joinedWithin', 'joined in the last'],
  ['joinedAfter', 'joined after'],
  ['joinedBefore', 'joined before'],
  ['number', 'the number'],
  ['holds', 'holding'],
  ['lacks', 'lacking'],
];

const MODES: Choice<'all' | 'any'>[] = [
  { value: 'all', label: 'all of these hold' },
  { value: 'any', label: 'any of these holds' },
];
const [IS, HAS_IT] = (['is', 'has'] as const).map((verb): Choice<boolean>[] => [
  { value: false, label: verb },
  { value: true, label: `${verb} not` },
]) as [Choice<boolean>[], Choice<boolean>[]];

/** Kinds that read with "has", not with "is": has joined after, has the number. */
const HAS: ReadonlySet<LeafName> = new Set(['joinedWithin', 'joinedAfter', 'joinedBefore', 'number']);

/** The conditions of an audience, one a row, that read as a sentence; a group of rows stands indented and may hold groups. */
@Component({
  selector: 'nk-audience-rows',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, FindField, NumberField, SelectField, forwardRef(() => AudienceRows)],
  templateUrl: './audience-rows.html',
  styleUrl: './audience-rows.css',
})
export class AudienceRows {
  private readonly store = inject(AudienceStore);
  readonly group = input.required<GroupRow>();
  readonly facts = input.required<BuilderFacts>();
  readonly depth = input(0);
  readonly changed = output<GroupRow>();
  protected readonly kinds = KINDS.map(([value, label]) => ({ value, label }));
  protected readonly modes = MODES;
  protected readonly nameOf = leafName;
  protected readonly found = signal<{ id: string; name: string; words: string }[]>([]);
  private readonly free = new Map<string, Choice[]>();
  /** what each kind of condition chooses from, by id and name */
  protected readonly options = computed((): Partial<Record<LeafName, { id: string; name: string }[]>> => {
    const facts = this.facts();
    const courses = facts.courses.map(({ id, title }) => ({ id, name: title }));
    return {
      department: facts.departments,
      site: facts.sites,
      group: facts.groups,
      job: facts.jobs.map((job) => ({ id: job, name: job })),
      holds: courses,
      lacks: courses,
    };
  });

  protected joint(index: number): string {
    return index === 0 ? '' : this.group().mode === 'all' ? 'and' : 'or';
  }

  protected verbs(row: Row): Choice<boolean>[] {
    return row.kind === 'leaf' && HAS.has(leafName(row.leaf)) ? HAS_IT : IS;
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

  protected setKind(index: number, name: AudienceLeafName): void {
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
