import { ChangeDetectionStrategy, Component, computed, forwardRef, input, viewChild } from '@angular/core';
import { FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { Select } from 'primeng/select';
import { PickField } from './field.ts';

/** One entry of a list to choose from; entries of one group stand together under its name. */
export interface Choice<T = string> {
  value: T;
  label: string;
  group?: string;
  isOff?: boolean;
}

interface Named {
  name: string;
  people?: number;
}

/** Entries from rows with a name, told with how many people are in: `Deck (41)`. */
export const choicesOf = <R extends Named>(rows: readonly R[] | undefined, valueOf: (row: R) => string): Choice[] =>
  (rows ?? []).map((row) => ({ value: valueOf(row), label: row.people === undefined ? row.name : `${row.name} (${row.people})` }));

/** The same for rows that are filtered by their names, with an entry for all before them. */
export const filtersOf = (rows: readonly Named[] | undefined): Choice[] => [
  { value: '', label: 'any' },
  ...choicesOf(rows, ({ name }) => name),
];

/** Entries from words that say what they are. */
export const wordsOf = <T extends string>(words: readonly T[]): Choice<T>[] => words.map((word) => ({ value: word, label: word }));

interface Item extends Choice<unknown> {
  key: string;
}

/** From how many entries on there is a field to find one. */
const LONG = 12;

/** Chooses one of a list; a long one can be searched. The value may be of any kind; nothing and an empty text are entries too. */
@Component({
  selector: 'nk-select',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, Select],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => SelectField), multi: true }],
  template: `
    <p-select
      [options]="entries()"
      [group]="isGrouped()"
      optionLabel="label"
      optionDisabled="isOff"
      optionGroupLabel="label"
      optionGroupChildren="items"
      dataKey="key"
      [ngModel]="chosen()"
      (ngModelChange)="pick($event)"
      [ngModelOptions]="{ standalone: true }"
      [disabled]="isOff()"
      [ariaLabel]="label()"
      [placeholder]="placeholder()"
      [filter]="items().length > long"
      filterBy="label"
      [ariaFilterLabel]="'Find in ' + label()"
      [autofocusFilter]="true"
      emptyMessage="Nothing to choose from."
      emptyFilterMessage="Nothing is called that."
      scrollHeight="320px"
      appendTo="body"
      (onBlur)="leave()"
    />
  `,
  styles: `
    :host { display: inline-block; vertical-align: middle; }
    :host(.wide) { display: block; }
    p-select { width: 100%; }
  `,
})
export class SelectField extends PickField<unknown> {
  /** what it is called, for whoever does not see it */
  readonly label = input.required<string>();
  readonly options = input.required<readonly Choice<unknown>[]>();
  readonly placeholder = input('choose');
  /** an act that is done with what is chosen: the field keeps nothing */
  readonly isAct = input(false);
  private readonly control = viewChild.required(Select);
  protected readonly long = LONG;
  protected readonly items = computed(() => this.options().map((choice, index): Item => ({ ...choice, key: String(index) })));
  protected readonly isGrouped = computed(() => this.items().some(({ group }) => group !== undefined));
  protected readonly entries = computed(() => {
    if (!this.isGrouped()) return this.items();
    const groups = new Map<string, Item[]>();
    for (const item of this.items()) groups.set(item.group ?? '', [...(groups.get(item.group ?? '') ?? []), item]);
    return [...groups].map(([label, items]) => ({ label, items }));
  });
  // the control is given whole entries: by values alone it takes false, null and '' for nothing chosen
  protected readonly chosen = computed(() => this.items().find(({ value }) => value === this.value()) ?? null);

  /** Opens the list, as by a press. */
  show(): void {
    this.control().show();
  }

  protected pick(item: Item | null): void {
    if (!item) return;
    this.take(item.value);
    if (!this.isAct()) return;
    this.value.set(null);
    // the control is still busy with what was chosen
    queueMicrotask(() => this.control().clear());
  }
}
