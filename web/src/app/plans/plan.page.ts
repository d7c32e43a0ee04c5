import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { PlanPreview, PlanStepView, PlanView, PlanWarningView, PreviewNotice } from '@nudrik/contract';
import {
  BEGINNINGS,
  dayOf,
  HOLD_WORDS,
  isKnownAhead,
  stepFault,
  tellAmount,
  tellCondition,
  tellDay,
  tellRole,
  tellLanguages,
  tellWhen,
  templateFault,
  type Condition,
  type HoldReason,
  type Names,
  type Step,
} from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { ToggleSwitch } from 'primeng/toggleswitch';
import { debounceTime } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { FoundAgain } from '../shared/found-again.ts';
import type { HasWork } from '../shared/leave.ts';
import { newKey } from '../shared/key.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { Newer } from '../shared/newer.ts';
import { ConditionPeople } from '../conditions/condition-rows.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { PlanKeeper } from './plan-keeper.ts';
import { PlanLadder } from './plan-ladder.ts';
import { PlanLine } from './plan-line.ts';
import { PlanPeople } from './plan-people.ts';
import { PlansApi } from './plans.api.ts';
import { RehearsalLink } from '../rehearsal/rehearsal-link.ts';
import { PlanDrag } from './plan-drag.ts';
import { PlanSender } from './plan-sender.ts';
import { PlanTold } from './plan-told.ts';
import { PlanShared } from './plan-shared.ts';
import { PlanFilePart } from './plan-file.ts';
import { saveText } from '../shared/download.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PlanWarnings } from './plan-warnings.ts';
import { PlanVersions } from './plan-versions.ts';
import { StepSheet } from './step-sheet.ts';
import { MessageWriter } from '../messages/message-writer.ts';
import { HoldStrip } from '../holding/hold-strip.ts';
import { TemplateText } from '../messages/template-text.ts';

/** A plan as a line of time: its steps as flags, and beside the chosen one real people with their real moments. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    HoldStrip,
    PlanLadder,
    FormsModule,
    RouterLink,
    KindMark,
    MomentPipe,
    PlanLine,
    PlanFilePart,
    PlanSender,
    PlanTold,
    PlanShared,
    PlanVersions,
    PlanWarnings,
    MessageWriter,
    TemplateText,
    SelectField,
    StepSheet,
    Dialog,
    ToggleSwitch,
    FoundAgain,
    Newer,
  ],
  providers: [PlanKeeper, PlanPeople, PlanDrag, RehearsalLink, { provide: ConditionPeople, useExisting: PlanPeople }],
  host: { '(document:keydown)': 'key($event)' },
  templateUrl: './plan.page.html',
  styleUrl: './plan.page.css',
})
export class PlanPage implements HasWork {
  private readonly api = inject(PlansApi);
  protected readonly session = inject(SessionStore);
  readonly course = input.required<string>();
  /** the step that is looked at first: where Today leads to */
  readonly step = input<string>();
  protected readonly plan = load(toObservable(this.course), (id) => this.api.get(id), ['notices', 'plans']);
  /** the draft: begins as what was kept of it, or as what is published, and again after publishing */
  protected readonly keeper = inject(PlanKeeper);
  protected readonly history = this.keeper.history;
  protected readonly steps = this.keeper.steps;
  private readonly people = inject(PlanPeople);
  private readonly drag = inject(PlanDrag);
  protected readonly choices = load(toObservable(this.course), (id) => this.api.choices(id), ['courses', 'people']);
  /** conditions that say nothing yet, by step */
  private readonly open = signal<Readonly<Record<string, string[]>>>({});
  protected readonly beginnings: Choice[] = BEGINNINGS.map(({ id, words }) => ({ value: id, label: words }));
  protected readonly chosenId = linkedSignal(() => (this.course(), this.step() ?? 'two-days-to-go'));
  protected readonly chosen = computed(() => this.steps().find(({ id }) => id === this.chosenId()) ?? this.steps()[0] ?? null);
  protected readonly isChanged = this.keeper.isChanged;
  /** one that goes by another course's plan is written there */
  protected readonly canWrite = computed(() => this.session.canChange() && !this.plan.data()?.follows);
  readonly work = new WorkInHand<PlanStepView[]>({
    key: computed(() => `plan/${this.course()}`),
    draft: computed(() => (this.steps().length > 0 ? this.steps() : null)),
    version: computed(() => this.keeper.version() || null),
    isChanged: computed(() => this.canWrite() && this.keeper.isUnkept()),
  });
  readonly settled = (): Promise<void> => this.keeper.keepNow();
  protected readonly problem = this.keeper.problem;
  protected readonly newer = this.keeper.newer;
  private readonly draft = computed(() =>
    this.steps().length ? { course: this.course(), version: this.keeper.version(), steps: this.steps() } : null,
  );
  protected readonly preview = load(
    toObservable(this.draft).pipe(debounceTime(150)),
    ({ course, version, steps }) => this.api.preview(course, { version, steps }),
    ['notices', 'clock'],
  );
  protected readonly isPublishing = signal(false);
  protected readonly isLookingBack = signal(false);
  protected readonly isTaking = signal(false);
  protected readonly note = signal('');
  protected readonly isBusy = signal(false);
  protected readonly isEditing = signal(false);
  protected readonly published = signal<number | null>(null);
  protected readonly languageWords = tellLanguages;
  protected readonly zoneWords = zoneWords;

  protected readonly moments = computed(() => {
    const step = this.chosen();
    if (!step) return [];
    const quick = this.drag.moments();
    return (this.preview.data()?.people ?? []).map((person) => {
      const own = person.notices.filter((notice) => notice.step === step.id);
      const notices: PreviewNotice[] = quick?.step === step ? (quick.found.of[person.assignmentId] ?? own) : own;
      return { person, notice: notices[0] ?? null, more: notices.length - 1 };
    });
  });
  /** while a step is dragged: how many get it on which day */
  protected readonly spread = computed(() => {
    const quick = this.drag.moments();
    if (!quick || quick.step !== this.chosen()) return '';
    const { days } = quick.found;
    const most = [...days].sort((a, b) => b.count - a.count).slice(0, 3).sort((a, b) => (a.day < b.day ? -1 : 1)); // prettier-ignore
    const rest = days.length - most.length;
    const told = most.map(({ day, count }) => `${count} on ${tellDay(dayOf(day))}`);
    return days.length === 0 ? 'Nobody of the course gets it any more.' : `Of all in the course ${told.join(', ')}${rest > 0 ? `, others on ${tellAmount(rest, 'days')} more` : ''}.`; // prettier-ignore
  });
  protected readonly fault = computed(() => {
    const step = this.chosen();
    if (!step) return null;
    return this.open()[step.id]?.[0] ?? stepFault(step as Step) ?? templateFault(step.message);
  });
  protected readonly missing = computed(() => (this.preview.data()?.missing ?? []).filter(({ step }) => step === this.chosen()?.name));

  constructor() {
    // what the server says of it stands, as soon as it says it
    effect(() => {
      if (this.preview.data() && !this.preview.isLoading()) untracked(() => this.drag.forget());
    });
    this.keeper.names = () => this.names();
    effect(() => {
      const plan = this.plan.data();
      if (!plan || plan.course.id !== this.course()) return;
      untracked(() => {
        if (this.openedCourse !== plan.course.id) this.begin(plan);
        // what others write and publish shows at once where nothing of mine waits to be kept
        else if (this.keeper.isBehind(plan)) this.fill(plan);
      });
    });
  }

  private openedCourse: string | null = null;

  private begin(plan: PlanView): void {
    this.openedCourse = plan.course.id;
    this.fill(plan);
    const kept = this.work.find(`plan/${plan.course.id}`);
    if (kept && this.canWrite()) this.keeper.restore(kept.draft);
  }

  private fill(plan: PlanView): void {
    plan.people.forEach((person) => this.people.learn(person));
    this.keeper.fill(plan);
    this.open.set({});
  }

  protected when(step: PlanStepView): string {
    return tellWhen(step as Step);
  }

  protected to(step: PlanStepView): string {
    return step.to.map((role) => tellRole(role, (id) => this.people.nameOf(id))).join(', ');
  }

  /** What the ids in conditions are called. */
  protected readonly nameOf = (id: string): string => this.people.nameOf(id);
  protected readonly names = computed((): Names => {
    const choices = this.choices.data();
    const look = (list: readonly { id: string; name: string }[] = []): ((id: string) => string) => {
      const known = new Map(list.map(({ id, name }) => [id, name]));
      return (id) => known.get(id) ?? id;
    };
    const titled = (list: readonly { id: string; title: string }[] = []): { id: string; name: string }[] => list.map(({ id, title }) => ({ id, name: title })); // prettier-ignore
    const unit = look(titled(choices?.units));
    return {
      department: look(choices?.departments),
      site: look(choices?.sites),
      group: look(choices?.groups),
      person: (id) => this.people.nameOf(id),
      course: look(titled(choices?.courses)),
      unit: (id) => (choices && !choices.units.some((one) => one.id === id) ? 'a unit that is gone' : `“${unit(id)}”`),
      step: look([...this.steps()]),
    };
  });
  /** What parts of texts may ask for whom they are. */
  protected readonly parts = computed(() => {
    const choices = this.choices.data();
    return choices ? { facts: choices, names: this.names() } : null;
  });
  private tell(condition: Condition | null): string {
    return condition ? tellCondition(condition, this.names()) : '';
  }

  protected onlyIf(step: PlanStepView): string {
    return this.tell(step.onlyIf);
  }

  protected stopWhen(step: PlanStepView): string {
    return this.tell(step.stopWhen);
  }

  protected change(id: string, change: Partial<PlanStepView>): void {
    this.published.set(null);
    this.history.change(`${id} ${Object.keys(change).join()}`, (steps) => steps.map((step) => (step.id === id ? { ...step, ...change } : step))); // prettier-ignore
  }

  /** "4 added, 2 moved", of one step. */
  protected countsOf({ added, moved, dropped }: PlanPreview['bySteps'][number]): string {
    return [added && `${added} added`, moved && `${moved} moved`, dropped && `${dropped} dropped`].filter(Boolean).join(', ');
  }

  /** What a warning proposes, as a change of the draft like any other: it can be undone. */
  protected mend({ step: id, change }: NonNullable<PlanWarningView['mend']>): void {
    const step = this.steps().find((one) => one.id === id);
    if (!step) return;
    this.history.rest();
    if (change === null) this.remove(step);
    else this.change(id, change);
    this.chosenId.set(this.steps().find((one) => one.id === id)?.id ?? this.chosenId());
  }

  protected opened(id: string, words: string[]): void {
    this.open.update((open) => ({ ...open, [id]: words }));
  }

  /** Moves a step; what happens unforeseen has nothing before it. */
  protected moved(id: string, amountOf: (now: number) => number): void {
    const step = this.steps().find((one) => one.id === id);
    if (!step) return;
    const wanted = amountOf(step.offset.amount);
    const amount = isKnownAhead(step.anchor.event) ? wanted : Math.max(0, wanted);
    if (Math.abs(amount) > 9_999) return;
    this.change(id, { offset: { ...step.offset, amount } });
    const now = this.steps().find((one) => one.id === id);
    const shown = (this.preview.data()?.people ?? []).map(({ assignmentId }) => assignmentId);
    if (now && !stepFault(now as Step)) void this.drag.look(this.course(), this.steps(), now, shown);
  }

  protected dragged({ id, amount }: { id: string; amount: number }): void {
    this.moved(id, () => amount);
  }

  protected nudged({ id, by }: { id: string; by: number }): void {
    this.moved(id, (now) => now + by);
  }

  /** What is in hand, as a file: what its steps name stands by name in it. */
  protected saveFile(): void {
    const title = this.plan.data()?.course.title ?? 'plan';
    this.api.file(this.course(), this.steps()).subscribe({
      next: (file) => saveText(`${title}, plan.json`, `${JSON.stringify(file, null, 2)}\n`, 'application/json'),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  /** An earlier version, or a file, as a draft: nothing goes by it before it is published. */
  protected bringBack(steps: PlanStepView[]): void {
    this.isLookingBack.set(false);
    this.published.set(null);
    this.history.rest();
    this.history.change('bring back', () => structuredClone(steps));
  }

  protected add(beginning: string): void {
    const made = BEGINNINGS.find(({ id }) => id === beginning)?.make(this.newId());
    if (!made) return;
    this.published.set(null);
    this.history.rest();
    this.history.change(`add ${made.id}`, (steps) => [...steps, made as PlanStepView]);
    this.chosenId.set(made.id);
  }

  protected duplicate(step: PlanStepView): void {
    const copy = { ...structuredClone(step), id: this.newId(), name: `${step.name} (copy)`.slice(0, 120), on: false };
    this.history.change(`duplicate ${copy.id}`, (steps) => steps.flatMap((one) => (one.id === step.id ? [one, copy] : [one])));
    this.chosenId.set(copy.id);
  }

  protected remove(step: PlanStepView): void {
    if (this.steps().length === 1) return;
    const at = this.steps().findIndex(({ id }) => id === step.id);
    this.history.rest();
    this.history.change(`remove ${step.id}`, (steps) => steps.filter(({ id }) => id !== step.id));
    this.chosenId.set((this.steps()[at] ?? this.steps().at(-1)!).id);
  }

  /** As `remove`; the row after it, or the last, has the focus then: one goes on by keys. */
  private removeByKey(step: PlanStepView, row: HTMLElement): void {
    const next = row.nextElementSibling ?? row.previousElementSibling;
    this.remove(step);
    if (next instanceof HTMLElement) next.focus();
  }

  /** Moves a step among the others; its moment stays. */
  protected order(step: PlanStepView, by: -1 | 1): void {
    const at = this.steps().findIndex(({ id }) => id === step.id);
    const to = at + by;
    if (to < 0 || to >= this.steps().length) return;
    this.history.change(`order ${step.id}`, (steps) => {
      const next = [...steps];
      next.splice(to, 0, next.splice(at, 1)[0]!);
      return next;
    });
  }

  /** Never the id of another step, nor of one that is gone: the ledger knows what went by it. */
  private newId(): string {
    return `s-${newKey().slice(0, 13)}`;
  }

  protected rowKey(event: KeyboardEvent, step: PlanStepView): void {
    if (!this.canWrite() || event.target !== event.currentTarget) return;
    if (event.key === 'Delete') this.removeByKey(step, event.currentTarget as HTMLElement);
    else if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) this.order(step, event.key === 'ArrowUp' ? -1 : 1);
    else if (event.ctrlKey && event.key === 'd') this.duplicate(step);
    else if (event.key === ' ') this.change(step.id, { on: !step.on });
    else return;
    event.preventDefault();
  }

  /** Undo and redo over the whole plan; in a field of text the browser's own. */
  protected key(event: KeyboardEvent): void {
    const isText = /^(INPUT|TEXTAREA|SELECT)$/.test((event.target as HTMLElement | null)?.tagName ?? '');
    if (isText || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return;
    event.preventDefault();
    if (event.shiftKey) this.history.redo();
    else this.history.undo();
  }

  protected leaveChanges(): void {
    this.work.drop();
    const plan = this.plan.data();
    if (plan) this.keeper.leave(plan);
    this.open.set({});
  }

  protected heldWords(notice: PreviewNotice): string {
    return `held: ${HOLD_WORDS[notice.held as HoldReason]}`;
  }

  protected goes(notice: PreviewNotice | null): string {
    if (!notice) return '';
    if (notice.outcome === 'hold') return notice.held === 'leave' ? (notice.local ?? '') : 'waits';
    if (notice.outcome === 'wait') return notice.reason ?? '';
    return notice.outcome === 'skip' ? 'not sent' : (notice.local ?? '');
  }

  protected publish(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    // a save that is still on its way would be newer than what this goes by
    this.keeper.settle((isKept) => (isKept ? this.publishKept() : this.isBusy.set(false)));
  }

  private publishKept(): void {
    const steps = this.steps();
    this.api
      .publish(this.course(), { version: this.keeper.version(), steps, note: this.note(), written: this.keeper.written() })
      .subscribe({
        next: ({ version }) => {
          this.isBusy.set(false);
          this.isPublishing.set(false);
          this.published.set(version);
          this.note.set('');
          this.work.drop();
          this.keeper.wasPublished(version, steps);
          this.plan.reload();
        },
        error: (error: unknown) => {
          this.isBusy.set(false);
          this.isPublishing.set(false);
          this.keeper.isHeld = false;
          this.newer.refused(error);
        },
      });
  }
}
