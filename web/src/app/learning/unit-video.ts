import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, linkedSignal, output, signal, viewChild, type ElementRef } from '@angular/core'; // prettier-ignore
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { LearningUnit, PlayedView } from '@nudrik/contract';
import { tellSeconds, type Stretch } from '@nudrik/core';
import { interval, timer } from 'rxjs';
import { sentenceOf } from '../shared/refusal.ts';
import { LearningApi } from './learning.api.ts';

const TELL_MS = 10_000;
const AGAIN_MS = 5_000;
/** Seconds that pass at most between two looks at a player that plays. */
const STEP = 2.5;

/** A video as it is watched: it goes on where it was left, and tells what was really played. */
@Component({
  selector: 'nk-unit-video',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <video #player controls playsinline preload="metadata" [src]="address()" (loadedmetadata)="begin()" (play)="tellNow()" (timeupdate)="look()" (seeking)="jump()" (pause)="tellNow()" (ended)="tellNow()" (error)="fail()" [attr.aria-label]="unit().title">
      @for (captions of unit().video?.captions ?? []; track captions.language) {
        <track kind="captions" [srclang]="captions.language" [label]="captions.language" [src]="captionsAt(captions.language)" />
      }
    </video>
    @if (video(); as video) {
      <p class="quiet" role="status">
        @if (isDone()) {Watched.} @else {{{ told()?.percent ?? video.percent }} % of it played; it counts as watched from {{ video.share }} % on. Moving forward in it does not count.}
        @if (resumed()) { You were at {{ resumed() }}, and it goes on there.}
      </p>
    }
    @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
    @if (isCutOff()) {<p class="late" role="status">Nudrik does not answer. What you watch is kept here and told as soon as it does.</p>}
  `,
  styles: `
    video { width: 100%; max-height: 70vh; background: #000; }
    p { margin-top: 6px; font-size: 14px; }
  `,
})
export class UnitVideo {
  private readonly api = inject(LearningApi);
  readonly token = input.required<string>();
  readonly unit = input.required<LearningUnit>();
  readonly changed = output<void>();
  private readonly player = viewChild.required<ElementRef<HTMLVideoElement>>('player');
  protected readonly address = computed(() => this.api.fileAt(this.token(), this.unit().id));
  protected readonly video = computed(() => this.unit().video);
  protected readonly told = signal<PlayedView | null>(null);
  protected readonly isDone = linkedSignal(() => this.unit().doneAt !== null);
  protected readonly resumed = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isCutOff = signal(false);
  private stretches: Stretch[] = [];
  private last: number | null = null;
  private isTelling = false;
  private isBegun = false;

  constructor() {
    interval(TELL_MS)
      .pipe(takeUntilDestroyed())
      .subscribe(() => {
        if (this.stretches.length > 0) this.tellNow();
      });
    inject(DestroyRef).onDestroy(() => {
      if (this.stretches.length > 0) this.tellNow();
    });
  }

  protected captionsAt(language: string): string {
    return this.api.captionsAt(this.token(), this.unit().id, language);
  }

  protected begin(): void {
    if (this.isBegun) return;
    this.isBegun = true;
    const player = this.player().nativeElement;
    const seconds = this.unit().place?.seconds ?? 0;
    if (seconds < 3 || seconds > player.duration - 3) return;
    player.currentTime = seconds;
    this.resumed.set(tellSeconds(seconds));
  }

  /** What was played since the last look, where it went on from there. */
  protected look(): void {
    const now = this.player().nativeElement.currentTime;
    if (this.last !== null && now > this.last && now - this.last < STEP) {
      const stretch = this.stretches.at(-1);
      if (stretch?.[1] === this.last) this.stretches[this.stretches.length - 1] = [stretch[0], now];
      else this.stretches.push([this.last, now]);
    }
    this.last = now;
  }

  protected jump(): void {
    this.last = null;
  }

  protected fail(): void {
    this.problem.set(
      'The video cannot be played here. Try another browser, or tell your trainer: reply to the message that brought you here.',
    );
  }

  protected tellNow(): void {
    if (this.isTelling) return;
    this.isTelling = true;
    const played = this.stretches;
    const at = this.player().nativeElement.currentTime;
    // what goes on being played is another stretch
    this.stretches = [];
    this.api.tellPlayed(this.token(), this.unit().id, { played: played.map(([from, to]) => [from, to]), at }).subscribe({
      next: (told) => {
        this.isTelling = false;
        this.isCutOff.set(false);
        this.told.set(told);
        if (told.isDone && !this.isDone()) {
          this.isDone.set(true);
          this.changed.emit();
        }
      },
      error: (error: { status?: number }) => {
        this.isTelling = false;
        if (error.status && error.status < 500) return this.problem.set(sentenceOf(error));
        this.stretches = [...played, ...this.stretches];
        this.isCutOff.set(true);
        timer(AGAIN_MS).subscribe(() => this.tellNow());
      },
    });
  }
}
