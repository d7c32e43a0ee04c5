import { ChangeDetectionStrategy, Component, DestroyRef, effect, inject, input, output, signal, untracked, viewChild, type ElementRef } from '@angular/core'; // prettier-ignore
import { fromEvent, timer } from 'rxjs';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { LearningUnit, PackageSaid, PackageStart } from '@nudrik/contract';
import { sentenceOf } from '../shared/refusal.ts';
import { LearningApi } from './learning.api.ts';

const AGAIN_MS = 5_000;

/** A package in a frame that can reach nothing of ours: what it tells of itself is kept, and it goes on where it was left. */
@Component({
  selector: 'nk-unit-package',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (shown()) {
      <div class="frame" [class.large]="isLarge()">
        <div #place class="place"></div>
        <p class="under">
          <button class="link" (click)="isLarge.set(!isLarge())" [attr.aria-pressed]="isLarge()">{{ isLarge() ? 'Smaller' : 'Over the whole page' }}</button>
          <span class="quiet" role="status">{{ isDone() ? 'Done, and kept.' : isKept() ? 'Where you are is kept.' : 'It is done when it says so itself.' }}</span>
        </p>
      </div>
    } @else if (!problem()) {
      <p class="loading">Opening …</p>
    }
    @if (problem()) {<p class="refusal" role="alert">{{ problem() }}</p>}
    @if (isCutOff()) {<p class="late" role="status">Nudrik does not answer. Where you are stays on this device and is told as soon as it does.</p>}
  `,
  styles: `
    .place { height: min(70vh, 620px); border: 1px solid var(--rule-strong); background: #fff; }
    .place ::ng-deep iframe { width: 100%; height: 100%; border: 0; display: block; }
    .large { position: fixed; inset: 0; z-index: 50; background: var(--paper); padding: 8px; display: flex; flex-direction: column; }
    .large .place { flex: 1; height: auto; }
    .under { display: flex; gap: 14px; font-size: 13px; margin-top: 4px; }
  `,
})
export class UnitPackage {
  private readonly api = inject(LearningApi);
  readonly token = input.required<string>();
  readonly unit = input.required<LearningUnit>();
  readonly changed = output<void>();
  private readonly place = viewChild<ElementRef<HTMLElement>>('place');
  private frame: HTMLIFrameElement | null = null;
  protected readonly shown = signal<{ address: string; name: string } | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isCutOff = signal(false);
  protected readonly isLarge = signal(false);
  protected readonly isDone = signal(false);
  protected readonly isKept = signal(false);
  private waiting: string | null = null;
  private isTelling = false;

  constructor() {
    effect(() => {
      const [token, { id }] = [this.token(), untracked(this.unit)];
      untracked(() =>
        this.api.package(token, id).subscribe({
          next: ({ address, edition, person, data }) => {
            const start: PackageStart = { nudrik: 'package', edition, person, data: data === null ? null : (JSON.parse(data) as object) };
            this.isDone.set(this.unit().doneAt !== null);
            this.shown.set({ address, name: JSON.stringify(start) });
          },
          error: (error: unknown) => this.problem.set(sentenceOf(error)),
        }),
      );
    });
    effect(() => {
      const [place, shown] = [this.place()?.nativeElement, this.shown()];
      if (!place || !shown || this.frame) return;
      // its name, which holds what it begins with, counts when it is made and not later
      this.frame = place.ownerDocument.createElement('iframe');
      this.frame.name = shown.name;
      this.frame.title = untracked(this.unit).title;
      this.frame.referrerPolicy = 'no-referrer';
      this.frame.sandbox.add('allow-scripts', 'allow-forms', 'allow-modals');
      this.frame.src = shown.address;
      place.append(this.frame);
    });
    fromEvent<MessageEvent<PackageSaid | null>>(window, 'message')
      .pipe(takeUntilDestroyed())
      .subscribe(({ data, source }) => {
        if (source === null || source !== this.frame?.contentWindow || data?.nudrik !== 'kept' || typeof data.data !== 'string') return; // prettier-ignore
        this.waiting = data.data;
        this.tell();
      });
    inject(DestroyRef).onDestroy(() => this.tell());
  }

  /** The last that was said; what comes meanwhile is told after it. */
  private tell(): void {
    if (this.isTelling || this.waiting === null) return;
    const data = this.waiting;
    this.isTelling = true;
    this.api.tellPackage(this.token(), this.unit().id, data).subscribe({
      next: ({ isDone, finished }) => {
        this.isTelling = false;
        this.isCutOff.set(false);
        this.isKept.set(true);
        if (this.waiting === data) this.waiting = null;
        if ((isDone && !this.isDone()) || finished) {
          this.isDone.set(isDone);
          this.changed.emit();
        }
        this.tell();
      },
      error: (error: { status?: number }) => {
        this.isTelling = false;
        if (error.status && error.status < 500) {
          this.waiting = null;
          this.problem.set(sentenceOf(error));
          return;
        }
        this.isCutOff.set(true);
        timer(AGAIN_MS).subscribe(() => this.tell());
      },
    });
  }
}
