import { HttpErrorResponse, HttpResponse, type HttpEvent, type HttpInterceptorFn } from '@angular/common/http';
import { inject, Injector } from '@angular/core';
import type { JobBegun, JobView } from '@nudrik/contract';
import { identity, map, Observable, of, switchMap, throwError, type MonoTypeOperatorFunction } from 'rxjs';
import { JobsStore } from './jobs.store.ts';

/** An answer 202 is work that goes on: it is followed, and its result is the answer that the page waited for. */
export const jobInterceptor: HttpInterceptorFn = (request, next) => {
  const injector = inject(Injector);
  return next(request).pipe(
    switchMap((event): Observable<HttpEvent<unknown>> => {
      if (!(event instanceof HttpResponse) || event.status !== 202) return of(event);
      const { job } = event.body as JobBegun;
      const jobs = injector.get(JobsStore);
      // what only looks is not looked at to its end when nobody waits for it any more: another draft is asked about
      const isLook = /\/(preview|foresee)(\?|$)/.test(request.url);
      return jobs.follow(job).pipe(
        isLook ? cancelledWith(() => jobs.cancel(job)) : identity,
        switchMap((ended) =>
          ended.state === 'done'
            ? of(ended)
            : throwError(() => new HttpErrorResponse({ status: 409, url: request.url, error: refusalOf(ended) })),
        ),
        map((ended) => event.clone({ status: 200, body: ended.result })),
      );
    }),
  );
};

/** Does something when it is left before its end. */
const cancelledWith =
  <T>(cancel: () => Observable<unknown>): MonoTypeOperatorFunction<T> =>
  (source) =>
    new Observable<T>((subscriber) => {
      let isOver = false;
      const subscription = source.subscribe({
        next: (value) => subscriber.next(value),
        error: (error: unknown) => ((isOver = true), subscriber.error(error)),
        complete: () => ((isOver = true), subscriber.complete()),
      });
      return () => {
        subscription.unsubscribe();
        if (!isOver) cancel().subscribe({ error: () => undefined });
      };
    });

const refusalOf = ({ refusal, words }: JobView): object =>
  refusal ?? { code: 'cancelled', message: `${words}: cancelled. Nothing was changed.` };
