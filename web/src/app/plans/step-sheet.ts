import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { PlanChoices, PlanStepView, PlanView } from '@nudrik/contract';
import {
  anchorEntry,
  ANCHORS,
  isElapsed,
  isKnownAhead,
  KINDS,
  mailsOfCopies,
  canBeDeclined,
  OUTCOME_WORDS,
  SIGN_OFF_OUTCOMES,
  tellAmount,
  UNITS,
  WAY_WORDS,
  WAYS,
  type AnchorEvent,
  type Condition,
  type ConditionFact,
  type Copies,
  type Unit,
  type Way,
} from '@nudrik/core';
import { ConditionRows } from '../conditions/condition-rows.ts';
import { conditionFrom, keptRows, openConditions, type GroupRow } from '../conditions/condition-model.ts';
import { RolesPick } from '../people/roles-pick.ts';
import { DateField } from '../shared/pick/date-field.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { SenderEdit } from './sender-edit.ts';
import { PlanPeople } from './plan-people.ts';

const WINDOWS: Choice<'later' | 'earlier' | 'exact' | 'own'>[] = [
  { value: 'own', label: 'in the send window, as fits' },
  { value: 'later', label: 'in the send window, or later' },
  { value: 'earlier', label: 'in the send window, or earlier' },
  { value: 'exact', label: 'exactly then, at night too' },
];
const ASKS: readonly ConditionFact[] = ['person', 'assignment', 'held', 'notices'];

/** One step of a plan: what it is for, when it goes and how often, to whom, and under what conditions. */
@Component({
  selector: 'nk-step-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionRows, DateField, FormsModule, NumberField, RolesPick, SelectField, SenderEdit, TimeField],
  templateUrl: './step-sheet.html',
  styleUrl: './step-sheet.css',
})
export class StepSheet {
  private readonly people = inject(PlanPeople);
  readonly step = input.required<PlanStepView>();
  /** all steps of the plan, for conditions on what was sent */
  readonly steps = input.required<readonly PlanStepView[]>();
  readonly choices = input.required<PlanChoices>();
  /** who its messages come from where it does not say it itself */
  readonly sender = input<PlanView['senders'] | null>(null);
  /** messages may go to the chat too */
  readonly hasChat = input(false);
  /** notices of it within the next 28 days */
  readonly next = input(0);
  readonly changed = output<Partial<PlanStepView>>();
  /** conditions that say nothing yet, in words */
  readonly open = output<string[]>();
  protected readonly asks = ASKS;
  protected readonly windows = WINDOWS;
  /** of what nobody is owed; and where it is set, so that it can be taken off */
  protected readonly mayDecline = computed(() => canBeDeclined(this.step().kind) || this.step().mayDecline === true);
  protected readonly ways: Choice<Way | ''>[] = [
    { value: '', label: 'as each of them has it' },
    ...WAYS.map((value) => ({ value, label: WAY_WORDS[value] })),
  ];
  protected readonly kinds = wordsOf(KINDS);
  protected readonly units = wordsOf(UNITS);
  protected readonly outcomes: Choice[] = [{ value: '', label: 'any outcome' }, ...SIGN_OFF_OUTCOMES.map((value) => ({ value, label: OUTCOME_WORDS[value] }))]; // prettier-ignore
  // letters by hand stand in no plan
  protected readonly anchors: Choice[] = ANCHORS.filter((event) => event !== 'reminded').map((value) => ({ value, label: anchorEntry(value).words })); // prettier-ignore
  protected readonly roles = [
    { role: 'employee', words: 'the employee' },
    { role: 'manager', words: 'the manager' },
    { role: 'manager 2', words: 'the manager’s manager' },
    { role: 'trainer', words: 'the owner' },
    { role: 'assistants', words: 'the assistants' },
  ];
  protected readonly nameOf = (id: string): string => this.people.nameOf(id);
  protected readonly facts = computed(() => ({ ...this.choices(), steps: this.steps().map(({ id, name }) => ({ id, name })) }));
  protected readonly isAhead = computed(() => isKnownAhead(this.step().anchor.event));
  protected readonly sides = computed((): Choice<boolean>[] => [{ value: true, label: 'before' }, { value: false, label: 'after' }]); // prettier-ignore
  protected readonly ofUnit = computed(() => (anchorEntry(this.step().anchor.event).may ?? []).includes('unit'));
  protected readonly unitChoices = computed((): Choice[] => {
    const isQuiz = this.step().anchor.event.startsWith('quiz-');
    const kind = isQuiz ? 'quiz' : this.step().anchor.event === 'survey-answered' ? 'survey' : null;
    const list = this.choices().units.filter((unit) => kind === null || unit.kind === kind);
    return [{ value: '', label: kind ? `any ${kind}` : 'any unit' }, ...list.map(({ id, title }) => ({ value: id, label: title }))];
  });
  protected readonly sectionChoices = computed((): Choice[] => this.choices().sections.map(({ id, title }) => ({ value: id, label: title }))); // prettier-ignore
  protected readonly onlyIf = linkedSignal<{ id: string; condition: Condition | null }, GroupRow>({
    source: () => ({ id: this.step().id, condition: this.step().onlyIf }),
    computation: (now, before) => keptRows(now, before),
  });
  protected readonly stopWhen = linkedSignal<{ id: string; condition: Condition | null }, GroupRow>({
    source: () => ({ id: this.step().id, condition: this.step().stopWhen }),
    computation: (now, before) => keptRows(now, before),
  });

  protected readonly copies = computed((): Copies => this.step().copies ?? { to: [], isEach: false });
  protected readonly copyRoles = this.roles.filter(({ role }) => role !== 'employee');
  protected readonly copyWords = computed(() => {
    const copies = this.copies();
    const mails = (isEach: boolean): string => tellAmount(mailsOfCopies({ ...copies, isEach }, this.next(), 28), 'mails');
    const ahead = 'in the next 28 days, as it is published now';
    return copies.isEach
      ? `That is ${mails(true)} ${ahead}; as a summary at most ${mails(false)}.`
      : `In the morning after: what went, to whom, and what came of it. At most ${mails(false)} ${ahead}; each by itself would be ${mails(true)}.`;
  });

  protected setCopies(change: Partial<Copies>): void {
    const next = { ...this.copies(), ...change };
    this.put({ copies: next.to.length > 0 ? { to: [...next.to], isEach: next.isEach } : null });
  }

  protected amount(): number {
    return Math.abs(this.step().offset.amount);
  }

  protected put(change: Partial<PlanStepView>): void {
    this.changed.emit(change);
  }

  protected offset(change: Partial<PlanStepView['offset']>): void {
    const offset = { ...this.step().offset, ...change };
    this.put({ offset, ...(isElapsed(offset.unit) && { at: null, gather: 'none' as const }) });
  }

  protected setAmount(amount: number | null): void {
    if (amount !== null && Number.isInteger(amount) && amount >= 0 && amount <= 9_999)
      this.offset({ amount: this.step().offset.amount < 0 ? -amount : amount });
  }

  protected setUnit(unit: Unit): void {
    this.offset({ unit });
  }

  protected setSide(isBefore: boolean): void {
    this.offset({ amount: isBefore ? -this.amount() : this.amount() });
  }

  protected setAnchor(event: AnchorEvent): void {
    const { offset, anchor } = this.step();
    const date = event === 'date' ? { date: anchor.date ?? '' } : {};
    const section = event === 'section-finished' ? { section: this.choices().sections[0]?.id ?? '' } : {};
    this.put({ anchor: { event, ...date, ...section }, ...(!isKnownAhead(event) && offset.amount < 0 && { offset: { ...offset, amount: -offset.amount } }) }); // prettier-ignore
  }

  protected setAnchorField(field: 'unit' | 'outcome' | 'date' | 'section', value: string): void {
    const { [field]: _, ...rest } = this.step().anchor;
    this.put({ anchor: value === '' ? rest : ({ ...rest, [field]: value } as PlanStepView['anchor']) });
  }

  protected setRepeats(isRepeating: boolean): void {
    this.put({ repeat: isRepeating ? { every: { amount: 3, unit: 'working days' }, times: 3 } : null });
  }

  protected every(change: Partial<{ amount: number | null; unit: Unit }>): void {
    const { repeat } = this.step();
    if (!repeat || change.amount === null) return;
    this.put({ repeat: { ...repeat, every: { ...repeat.every, ...change } as PlanStepView['offset'] } });
  }

  protected times(times: number | null): void {
    const { repeat } = this.step();
    if (repeat && times !== null && times >= 1) this.put({ repeat: { ...repeat, times } });
  }

  protected gathers(isGathered: boolean): void {
    const { at, offset } = this.step();
    this.put({ gather: isGathered ? 'per day' : 'none', ...(isGathered && at === null && !isElapsed(offset.unit) && { at: '09:00' }) });
  }

  protected met(person: { id: string; name: string }): void {
    this.people.learn(person);
  }

  protected setRows(which: 'onlyIf' | 'stopWhen', rows: GroupRow): void {
    this[which].set(rows);
    this.put({ [which]: conditionFrom(rows) });
    this.open.emit([...openConditions(this.onlyIf()), ...openConditions(this.stopWhen())]);
  }
}
