import { HttpErrorResponse } from '@angular/common/http';
import { computed, DestroyRef, effect, inject, Injectable, signal, untracked } from '@angular/core';
import type { PlanStepView, PlanView } from '@nudrik/contract';
import { map, timer, type Observable } from 'rxjs';
import { tellSteps, type Names, type PlanStep } from '@nudrik/core';
import { newKey } from '../shared/key.ts';
import { NewerSaved } from '../shared/newer.ts';
import { until } from '../shared/until.ts';
import { PlansApi } from './plans.api.ts';
import { StepHistory } from './step-history.ts';

/** What is written is kept this long after the last change; and tried again this often where the server does not answer. */
const REST_MS = 700;
const AGAIN_MS = 3_000;

interface Saving {
  save: string;
  version: number;
  written: number;
  steps: PlanStepView[];
}

/** The draft of a plan while it is written: kept as it goes on, never sent by, and published or dropped in the end. One for each page. */
@Injectable()
export class PlanKeeper {
  private readonly api = inject(PlansApi);
  readonly history = new StepHistory();
  readonly steps = this.history.steps;
  /** the course whose plan it is */
  readonly course = signal<string | null>(null);
  /** of the plan that the draft began from */
  readonly version = signal(0);
  /** counts what was kept; 0 is nothing */
  readonly written = signal(0);
  readonly savedAt = signal<string | null>(null);
  readonly savedBy = signal<string | null>(null);
  readonly isSaving = signal(false);
  /** the server does not answer: what is written stays here and is tried again */
  readonly isCutOff = signal(false);
  readonly problem = signal<string | null>(null);
  /** what is published, and what is kept, as text */
  private readonly published = signal('[]');
  private readonly kept = signal('[]');
  private readonly text = computed(() => JSON.stringify(this.steps()));
  /** another than what is published */
  readonly isChanged = computed(() => this.text() !== this.published());
  /** another than what is kept */
  readonly isUnkept = computed(() => this.text() !== this.kept());
  names: () => Names = () => {
    throw new Error('Names are given by the page.');
  };
  /** what somebody else kept, published or dropped meanwhile, beside mine */
  readonly newer = new NewerSaved<PlanView>({
    problem: this.problem,
    both: () =>
      this.api.get(this.course()!).pipe(
        map((theirs) => ({
          theirs,
          mine: tellSteps(this.steps() as PlanStep[], this.names()),
          saved: tellSteps((theirs.draft?.steps ?? theirs.steps) as PlanStep[], this.names()),
        })),
      ),
    goOn: (theirs) => {
      this.version.set(theirs.version);
      this.written.set(theirs.draft?.written ?? 0);
      this.published.set(JSON.stringify(theirs.steps));
      this.kept.set(JSON.stringify(theirs.draft?.steps ?? theirs.steps));
      // once the two are put away
      queueMicrotask(() => this.saveNow());
    },
    take: (theirs) => this.fill(theirs),
  });
  private saving: Saving | null = null;
  private resting: ReturnType<typeof setTimeout> | null = null;
  private isGone = false;
  /** while it is published nothing is kept beside it */
  isHeld = false;
  private settled: ((isKept: boolean) => void) | null = null;

  constructor() {
    effect(() => {
      const unkept = this.isUnkept();
      this.text();
      if (this.resting) clearTimeout(this.resting);
      if (unkept) this.resting = setTimeout(() => this.saveNow(), REST_MS);
    });
    inject(DestroyRef).onDestroy(() => {
      this.isGone = true;
      if (this.resting) clearTimeout(this.resting);
    });
  }

  /** Begins with what is stored: its draft, or what is published. */
  fill(plan: PlanView): void {
    this.problem.set(null);
    this.saving = null;
    this.settled = null;
    this.isHeld = false;
    // an answer about another plan is waited for no longer
    this.isSaving.set(false);
    this.isCutOff.set(false);
    this.course.set(plan.course.id);
    this.version.set(plan.draft?.version ?? plan.version);
    this.written.set(plan.draft?.written ?? 0);
    this.savedAt.set(plan.draft?.savedAt ?? null);
    this.savedBy.set(plan.draft?.savedBy ?? null);
    this.published.set(JSON.stringify(plan.steps));
    this.history.reset(structuredClone(plan.draft?.steps ?? plan.steps));
    this.kept.set(this.text());
  }

  /** Whether what is stored is newer than what is shown, and nothing of mine would be lost by showing it. */
  isBehind(plan: PlanView): boolean {
    if (this.isUnkept() || this.isSaving() || this.isHeld || this.newer.shown()) return false;
    const written = plan.draft?.written ?? 0;
    return written !== this.written() || (written === 0 && plan.version !== this.version());
  }

  /** Work that was found again in this browser and never reached the server. */
  restore(steps: PlanStepView[]): void {
    this.history.reset(steps);
  }

  /** Keeps what is written, now. One save at a time: what is changed meanwhile is kept by the next. */
  saveNow(): void {
    const course = untracked(this.course);
    if (!course || this.isGone || this.isHeld || this.isSaving() || !untracked(this.isUnkept) || this.newer.shown()) return;
    // back to what is published: there is no draft any more
    if (!untracked(this.isChanged) && untracked(this.written) > 0 && !this.saving) {
      this.send(course, this.api.drop(course, this.written()), this.text(), () => this.saved(0, null));
      return;
    }
    this.saving ??= { save: newKey(), version: this.version(), written: this.written(), steps: this.steps() };
    const sent = this.saving;
    this.send(course, this.api.save(course, sent), JSON.stringify(sent.steps), (answer) => this.saved(answer.written, answer.savedAt));
  }

  /** Keeps the last of what is written: done once it is kept, or cannot be just now. */
  async keepNow(): Promise<void> {
    this.saveNow();
    await until(() => !this.isSaving());
  }

  private send<T>(course: string, request: Observable<T>, text: string, done: (answer: T) => void): void {
    this.isSaving.set(true);
    request.subscribe({
      next: (answer) => {
        if (this.course() !== course) return;
        this.saving = null;
        this.isSaving.set(false);
        this.isCutOff.set(false);
        this.problem.set(null);
        this.kept.set(text);
        done(answer);
        if (this.settled) this.tellSettled(true);
        else if (this.isUnkept()) this.saveNow();
      },
      error: (error: unknown) => {
        if (this.course() !== course) return;
        this.isSaving.set(false);
        if (error instanceof HttpErrorResponse && (error.status === 0 || error.status >= 502)) {
          // the same save again: where it arrived and its answer was lost, it is not done twice
          this.isCutOff.set(true);
          this.tellSettled(false);
          timer(AGAIN_MS).subscribe(() => this.saveNow());
          return;
        }
        this.saving = null;
        this.tellSettled(false);
        this.newer.refused(error);
      },
    });
  }

  /** Keeps nothing more; and says when what is on its way has been answered, and whether it was kept. What is not kept is not published. */
  settle(done: (isKept: boolean) => void): void {
    this.isHeld = true;
    this.settled = done;
    if (!this.isSaving()) this.tellSettled(true);
  }

  private tellSettled(isKept: boolean): void {
    const { settled } = this;
    this.settled = null;
    if (settled && !isKept) this.isHeld = false;
    settled?.(isKept);
  }

  private saved(written: number, at: string | null): void {
    this.written.set(written);
    this.savedAt.set(at);
    this.savedBy.set(null);
  }

  /** Drops what is written: what is published stands. */
  leave(plan: PlanView): void {
    this.newer.forget();
    // a save that is still on its way would be there again after it
    if (this.isSaving()) return this.settle(() => this.leave(plan));
    const written = this.written();
    this.fill({ ...plan, draft: null });
    // what is written next waits until it is gone
    if (written > 0) this.send(plan.course.id, this.api.drop(plan.course.id, written), this.text(), () => undefined);
  }

  /** These were published: they are what stands. What was changed meanwhile begins the next draft. */
  wasPublished(version: number, steps: readonly PlanStepView[]): void {
    const text = JSON.stringify(steps);
    this.version.set(version);
    this.saved(0, null);
    this.published.set(text);
    this.kept.set(text);
    this.isHeld = false;
    this.saveNow();
  }
}
