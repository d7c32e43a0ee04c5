import { DestroyRef, inject, signal, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { catchError, combineLatest, map, of, startWith, Subject, switchMap, type Observable } from 'rxjs';
import { LiveService } from './live.service.ts';
import { sentenceOf } from './refusal.ts';

/** What a page shows of something that is fetched: the last good data stays while newer is on its way. */
export interface Loaded<T> {
  data: Signal<T | null>;
  error: Signal<string | null>;
  isLoading: Signal<boolean>;
  reload(): void;
}

/**
 * Fetches for each question, and again when one of the live topics is announced. A newer question cancels the older.
 * @param questions null or undefined fetches nothing and shows nothing
 */
export function load<Q, T>(
  questions: Observable<Q>,
  fetch: (question: NonNullable<Q>) => Observable<T>,
  topics: readonly string[] = [],
): Loaded<T> {
  const data = signal<T | null>(null);
  const error = signal<string | null>(null);
  const isLoading = signal(true);
  const again = new Subject<void>();
  const live = inject(LiveService).on(topics);
  combineLatest([questions, again.pipe(startWith(undefined)), live.pipe(startWith(undefined))])
    .pipe(
      switchMap(([question]) => {
        if (question === null || question === undefined) return of({ data: null, error: null });
        isLoading.set(true);
        return fetch(question as NonNullable<Q>).pipe(
          map((value) => ({ data: value as T | null, error: null as string | null })),
          catchError((problem: unknown) => of({ data: null, error: sentenceOf(problem) })),
        );
      }),
      takeUntilDestroyed(inject(DestroyRef)),
    )
    .subscribe((result) => {
      isLoading.set(false);
      error.set(result.error);
      if (result.error === null) data.set(result.data);
    });
  return { data: data.asReadonly(), error: error.asReadonly(), isLoading: isLoading.asReadonly(), reload: () => again.next() };
}
