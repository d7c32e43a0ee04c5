import { computed, DestroyRef, effect, inject, Injectable, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { ClockMove, ClockView } from '@nudrik/contract';
import { catchError, EMPTY, merge, Subject, switchMap, tap, timer, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { LiveService } from '../shared/live.service.ts';
import { ShellApi } from './shell.api.ts';

/** The installation's time, as the server tells it. In the demo it can be moved. */
@Injectable({ providedIn: 'root' })
export class ClockStore {
  private readonly api = inject(ShellApi);
  private readonly view = signal<ClockView | null>(null);
  private readonly tick = signal(0);
  private fetchedAt = 0;
  private readonly again = new Subject<void>();
  readonly isDemo = computed(() => this.view()?.isDemo ?? false);
  readonly isMoving = computed(() => this.view()?.isMoving ?? false);
  readonly hasNext = computed(() => this.view()?.nextNoticeAt != null);
  readonly now = computed(() => {
    this.tick();
    const view = this.view();
    if (!view) return null;
    return Date.parse(view.now) + (view.isTicking && !view.isMoving ? Date.now() - this.fetchedAt : 0);
  });

  constructor() {
    const session = inject(SessionStore);
    const destroyed = inject(DestroyRef);
    effect(() => void (session.account() && this.again.next()));
    merge(this.again, inject(LiveService).on(['clock', 'notices']))
      .pipe(
        switchMap(() => this.api.clock().pipe(catchError(() => EMPTY))),
        takeUntilDestroyed(destroyed),
      )
      .subscribe((view) => this.take(view));
    timer(0, 10_000)
      .pipe(takeUntilDestroyed(destroyed))
      .subscribe((n) => this.tick.set(n));
  }

  private take(view: ClockView): void {
    this.fetchedAt = Date.now();
    this.view.set(view);
  }

  move(move: ClockMove): Observable<ClockView> {
    return this.api.move(move).pipe(tap((view) => this.take(view)));
  }
}
