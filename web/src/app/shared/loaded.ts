import { DestroyRef, inject, signal, type Signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { BehaviorSubject, catchError, combineLatest, defer, filter, map, of, repeat, startWith, Subject, switchMap, take, type Observable } from 'rxjs'; // prettier-ignore
import { LiveService } from './live.service.ts';
import { sentenceOf } from './refusal.ts';

/** What a page shows of something that is fetched: the last good data stays while newer is on its way. */
export interface Loaded<T> {
  data: Signal<T | null>;
  error: Signal<string | null>;
  /** the answer to the newest question is on its way; what is fetched again because it was announced leaves this as it is */
  isLoading: Signal<boolean>;
  reload(): void;
}

/**
 * Fetches for each question, and again when one of the live topics is announced. A newer question cancels the older; an announcement
 * cancels nothing and is fetched for once the answer is there: where much is announced, a slow answer would never be seen.
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
  const announced = new BehaviorSubject(0);
  inject(LiveService)
    .on(topics)
    .pipe(takeUntilDestroyed())
    .subscribe(() => announced.next(announced.value + 1));
  combineLatest([questions, again.pipe(startWith(undefined))])
    .pipe(
      switchMap(([question]) => {
        if (question === null || question === undefined) return of({ data: null, error: null });
        isLoading.set(true);
        let known = 0;
        return defer(() => {
          known = announced.value;
          return fetch(question as NonNullable<Q>);
        }).pipe(
          map((value) => ({ data: value as T | null, error: null as string | null })),
          catchError((problem: unknown) => of({ data: null, error: sentenceOf(problem) })),
          take(1),
          repeat({ delay: () => announced.pipe(filter((count) => count > known)) }),
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
