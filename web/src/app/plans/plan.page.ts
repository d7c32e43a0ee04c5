import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { PlanStepView, PlanView, PreviewNotice } from '@nudrik/contract';
import { HOLD_WORDS, stepFault, templateFault, tellCondition, tellRole, tellWhen, UNITS, type HoldReason, type Step } from '@nudrik/core';
import { Dialog } from 'primeng/dialog';
import { ToggleSwitch } from 'primeng/toggleswitch';
import { debounceTime, map } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { FoundAgain } from '../shared/found-again.ts';
import type { HasWork } from '../shared/leave.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { Newer, NewerSaved } from '../shared/newer.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { TimeField } from '../shared/pick/time-field.ts';
import { WorkInHand } from '../shared/work-in-hand.ts';
import { PlanLine } from './plan-line.ts';
import { PlansApi } from './plans.api.ts';
import { TemplateEdit } from '../messages/template-edit.ts';
import { TemplateText } from '../messages/template-text.ts';

/** A plan as a line of time: its steps as flags, and beside the chosen one real people with their real moments. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FormsModule,
    RouterLink,
    KindMark,
    MomentPipe,
    PlanLine,
    TemplateEdit,
    TemplateText,
    NumberField,
    SelectField,
    TimeField,
    Dialog,
    ToggleSwitch,
    FoundAgain,
    Newer,
  ],
  templateUrl: './plan.page.html',
  styleUrl: './plan.page.css',
})
export class PlanPage implements HasWork {
  private readonly api = inject(PlansApi);
  protected readonly session = inject(SessionStore);
  readonly course = input.required<string>();
  protected readonly plan = load(toObservable(this.course), (id) => this.api.get(id), ['notices']);
  /** the draft: begins as what is published, and again after publishing */
  protected readonly steps = signal<PlanStepView[]>([]);
  private readonly version = signal(0);
  protected readonly chosenId = linkedSignal(() => (this.course(), 'two-days-to-go'));
  protected readonly chosen = computed(() => this.steps().find(({ id }) => id === this.chosenId()) ?? this.steps()[0] ?? null);
  /** what was published when the draft began: news of a later version change nothing of it */
  private readonly before = signal('[]');
  protected readonly isChanged = computed(() => JSON.stringify(this.steps()) !== this.before());
  readonly work = new WorkInHand<PlanStepView[]>({
    key: computed(() => `plan/${this.course()}`),
    draft: computed(() => (this.steps().length > 0 ? this.steps() : null)),
    version: computed(() => this.version() || null),
    isChanged: this.isChanged,
  });
  /** what somebody else published meanwhile, beside mine */
  protected readonly problem = signal<string | null>(null);
  protected readonly newer = new NewerSaved<PlanView>({
    problem: this.problem,
    both: () =>
      this.api.get(this.course()).pipe(map((theirs) => ({ theirs, mine: tellSteps(this.steps()), saved: tellSteps(theirs.steps) }))),
    goOn: ({ version }) => this.version.set(version),
    take: (theirs) => {
      this.work.drop();
      this.fill(theirs);
    },
  });
  private readonly draft = computed(() =>
    this.steps().length ? { course: this.course(), version: this.version(), steps: this.steps() } : null,
  );
  protected readonly preview = load(
    toObservable(this.draft).pipe(debounceTime(150)),
    ({ course, version, steps }) => this.api.preview(course, { version, steps }),
    ['notices', 'clock'],
  );
  protected readonly isPublishing = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly isEditing = signal(false);
  protected readonly published = signal<number | null>(null);
  protected readonly units = wordsOf(UNITS);
  protected readonly sides = computed((): Choice<boolean>[] => {
    const event = this.chosen()?.anchor.event;
    return [
      { value: true, label: `before ${event}` },
      { value: false, label: `after ${event}` },
    ];
  });
  protected readonly zoneWords = zoneWords;

  protected readonly moments = computed(() => {
    const step = this.chosen();
    if (!step) return [];
    return (this.preview.data()?.people ?? []).map((person) => ({
      person,
      notice: person.notices.find((notice) => notice.step === step.id) ?? null,
      more: person.notices.filter((notice) => notice.step === step.id).length - 1,
    }));
  });
  protected readonly fault = computed(() => {
    const step = this.chosen();
    if (!step) return null;
    return stepFault(step as Step) ?? templateFault(step.message);
  });
  protected readonly missing = computed(() => (this.preview.data()?.missing ?? []).filter(({ step }) => step === this.chosen()?.name));

  constructor() {
    effect(() => {
      const plan = this.plan.data();
      if (!plan || plan.course.id !== this.course()) return;
      untracked(() => {
        if (this.openedCourse !== plan.course.id) this.open(plan);
        // what others publish shows at once where nobody works on a draft, and waits where somebody does
        else if (plan.version !== this.version() && !this.isChanged()) this.fill(plan);
      });
    });
  }

  private openedCourse: string | null = null;

  private open(plan: PlanView): void {
    this.openedCourse = plan.course.id;
    this.fill(plan);
    const kept = this.work.find(`plan/${plan.course.id}`);
    if (!kept) return;
    this.steps.set(kept.draft);
    this.version.set(kept.version ?? plan.version);
  }

  private fill(plan: PlanView): void {
    this.version.set(plan.version);
    this.steps.set(structuredClone(plan.steps));
    this.before.set(JSON.stringify(this.steps()));
  }

  protected when(step: PlanStepView): string {
    return tellWhen(step as Step);
  }

  protected to(step: PlanStepView): string {
    const people = this.plan.data()?.people ?? [];
    return step.to.map((role) => tellRole(role, (id) => people.find((person) => person.id === id)?.name)).join(', ');
  }

  protected onlyIf(step: PlanStepView): string {
    return step.onlyIf ? tellCondition(step.onlyIf) : '';
  }

  protected change(id: string, change: Partial<PlanStepView>): void {
    this.published.set(null);
    this.steps.update((steps) => steps.map((step) => (step.id === id ? { ...step, ...change } : step)));
  }

  protected setOffset(step: PlanStepView, change: Partial<PlanStepView['offset']>): void {
    const offset = { ...step.offset, ...change };
    const isElapsed = offset.unit === 'minutes' || offset.unit === 'hours';
    this.change(step.id, {
      offset,
      at: isElapsed ? null : step.at,
      window: step.window === 'exact' && !isElapsed && step.anchor.event === 'due' ? null : step.window,
    });
  }

  protected setSide(step: PlanStepView, isBefore: boolean): void {
    this.setOffset(step, { amount: isBefore ? -Math.abs(step.offset.amount) : Math.abs(step.offset.amount) });
  }

  protected amountOf(step: PlanStepView): number {
    return Math.abs(step.offset.amount);
  }

  protected setAmount(step: PlanStepView, amount: number | null): void {
    if (amount !== null && Number.isInteger(amount) && amount >= 0 && amount <= 999)
      this.setOffset(step, { amount: step.offset.amount < 0 ? -amount : amount });
  }

  protected leaveChanges(): void {
    this.work.drop();
    this.newer.forget();
    const plan = this.plan.data();
    if (plan) this.fill(plan);
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
    this.api.publish(this.course(), { version: this.version(), steps: this.steps() }).subscribe({
      next: ({ version }) => {
        this.isBusy.set(false);
        this.isPublishing.set(false);
        this.published.set(version);
        this.work.drop();
        this.version.set(version);
        this.before.set(JSON.stringify(this.steps()));
        this.plan.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.isPublishing.set(false);
        this.newer.refused(error);
      },
    });
  }
}

/** Steps in words, by name, for comparing two versions of a plan. */
const tellSteps = (steps: readonly PlanStepView[]): Record<string, string> =>
  Object.fromEntries(
    steps.map((step) => [
      step.name,
      [`${step.on ? 'on' : 'off'}, ${tellWhen(step as Step)}, to the ${step.to.join(', ')}`, step.message.subject, step.message.body].join(
        '\n',
      ),
    ]),
  );
