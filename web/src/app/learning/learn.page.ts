import { isOpenState, tellBytes, unitKind } from '@nudrik/core';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  input,
  output,
  signal,
  untracked,
} from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { catchError, debounceTime, EMPTY, Subject, switchMap } from 'rxjs';
import type { LearningUnit, Place, ReachView } from '@nudrik/contract';
import { DayPipe, FinishedPipe, MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { QuizPlayer } from '../quizzes/quiz-player.ts';
import { LearningApi } from './learning.api.ts';
import { Share } from '../certificates/share.ts';
import { Asked } from '../conversations/asked.ts';
import { Reach } from '../people/reach.ts';
import { ReachApi } from '../people/reach.api.ts';
import { Reading } from './reading.ts';
import { UnitSessions } from '../sessions/unit-sessions.ts';
import { UnitSurvey } from '../surveys/unit-survey.ts';
import { UnitPackage } from './unit-package.ts';
import { UnitPdf } from './unit-pdf.ts';
import { UnitVideo } from './unit-video.ts';

/** Where somebody is is kept once they have rested there so long. */
const PLACE_MS = 1_500;

/** What an employee sees behind the personal link: dates, progress, the units, and at the end the certificate. */
@Component({
  selector: 'nk-learn',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    Asked,
    FinishedPipe,
    MomentPipe,
    DayPipe,
    QuizPlayer,
    Reading,
    UnitPackage,
    Reach,
    Share,
    UnitPdf,
    UnitSessions,
    UnitSurvey,
    UnitVideo,
  ],
  templateUrl: './learn.page.html',
  styleUrl: './learn.page.css',
})
export class LearnPage {
  private readonly api = inject(LearningApi);
  private readonly page = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  readonly token = input.required<string>();
  /** `unit-12`: the unit that a message leads to */
  readonly at = input<string>();
  /** it is looked at and not taken: what belongs to the link is left out */
  readonly isLook = input(false);
  /** the unit that is open */
  readonly shown = output<string | null>();
  protected readonly course = load(toObservable(this.token), (token) => this.api.find(token), ['assignments']);
  protected readonly opened = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly zoneWords = zoneWords;
  private readonly placed = new Subject<{ id: string; place: Place }>();
  protected readonly percent = computed(() => this.course.data()?.percent ?? 0);
  protected readonly isOpen = computed(() => isOpenState(this.course.data()?.state ?? ''));
  protected readonly firstOpen = computed(
    () =>
      this.course
        .data()
        ?.sections.flatMap(({ units }) => units)
        .find((unit) => !unit.doneAt && unit.required && !unit.opens)?.id ?? null,
  );

  protected readonly openUnit = computed(
    () =>
      this.course
        .data()
        ?.sections.flatMap(({ units }) => units)
        .find(({ id }) => id === this.opened()) ?? null,
  );
  private led: string | null = null;

  constructor() {
    // looking at it begins nothing: whoever came by a message goes on from there
    effect(() => {
      const course = this.course.data();
      const id = /^unit-(\d+)$/.exec(this.at() ?? '')?.[1];
      if (!course || id === undefined || this.led === id) return;
      this.led = id;
      const unit = course.sections.flatMap(({ units }) => units).find((one) => one.id === id);
      if (!unit || unit.opens) return;
      untracked(() => this.show(id));
      afterNextRender(() => this.page.nativeElement.querySelector(`#unit-${id}`)?.scrollIntoView?.({ block: 'start' }), {
        injector: this.injector,
      });
    });
    this.placed
      .pipe(
        debounceTime(PLACE_MS),
        switchMap(({ id, place }) => this.api.keepPlace(this.token(), id, place).pipe(catchError(() => EMPTY))),
        takeUntilDestroyed(),
      )
      .subscribe();
  }

  protected open(unit: LearningUnit): void {
    if (unit.opens) return;
    this.show(this.opened() === unit.id ? null : unit.id);
    if (this.isOpen()) this.api.start(this.token()).subscribe();
  }

  private show(unit: string | null): void {
    this.opened.set(unit);
    this.shown.emit(unit);
  }

  protected finish(unit: LearningUnit): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.markDone(this.token(), unit.id).subscribe({
      next: () => {
        this.isBusy.set(false);
        const units = this.course.data()!.sections.flatMap(({ units }) => units);
        const next = units[units.findIndex(({ id }) => id === unit.id) + 1];
        this.show(next && !next.opens ? next.id : null);
        this.course.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  private readonly reachApi = inject(ReachApi);
  protected readonly reachBase = computed(() => `/api/learning/${encodeURIComponent(this.token())}`);
  /** how its reader is told; asked for when they look */
  protected readonly reach = signal<ReachView | null>(null);

  protected askReach(): void {
    if (this.reach()) return;
    this.reachApi.find(this.reachBase()).subscribe({
      next: (reach) => this.reach.set(reach),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected readonly renewed = signal<string | null>(null);

  protected renew(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.api.renew(this.token()).subscribe({
      next: ({ words }) => {
        this.isBusy.set(false);
        this.renewed.set(words);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected readonly size = tellBytes;

  /** "0:24, optional" */
  protected aboutOf({ about, kind, required }: LearningUnit): string {
    const what = about ?? (kind === 'page' ? '' : kind === 'package' ? 'exercise' : unitKind(kind).words);
    return [what, required ? '' : 'optional'].filter(Boolean).join(', ');
  }

  protected isDoneByWord({ kind }: LearningUnit): boolean {
    return unitKind(kind).doneBy === 'word';
  }

  protected fileAt({ id }: LearningUnit): string {
    return this.api.fileAt(this.token(), id);
  }

  /** Keeps where somebody is; what cannot be kept just now is not worth a word. */
  protected keep({ id }: LearningUnit, place: Place): void {
    this.placed.next({ id, place });
  }
}
