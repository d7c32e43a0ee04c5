import { HttpClient, type HttpErrorResponse } from '@angular/common/http';
import { computed, inject, Injectable, signal } from '@angular/core';
import type { JobView } from '@nudrik/contract';
import { catchError, EMPTY, expand, last, map, type Observable, of, switchMap, tap, throwError, timer } from 'rxjs';

const ASK_MS = 700;
/** Nobody is signed in any more, or it is not theirs: asking on would never end. */
const LOST = [401, 403, 404];
const isGoing = ({ state }: JobView): boolean => state === 'waiting' || state === 'running';

/** Long work that was begun on this page: where it is, and what came of it. */
@Injectable({ providedIn: 'root' })
export class JobsStore {
  private readonly http = inject(HttpClient);
  private readonly jobs = signal<ReadonlyMap<string, JobView>>(new Map());
  /** what goes on now */
  readonly going = computed(() => [...this.jobs().values()].filter(isGoing));

  list(): Observable<JobView[]> {
    return this.http.get<JobView[]>('/api/jobs');
  }

  find(id: string): Observable<JobView> {
    return this.http.get<JobView>(`/api/jobs/${id}`);
  }

  /** Emits once, when the work has ended. It goes on where nobody listens any more. */
  follow(id: string): Observable<JobView> {
    return this.find(id).pipe(
      // a moment without an answer is no end
      expand((job) =>
        isGoing(job)
          ? timer(ASK_MS).pipe(
              switchMap(() => this.find(id)),
              catchError((error: HttpErrorResponse) => (LOST.includes(error.status) ? throwError(() => error) : of(job))),
            )
          : EMPTY,
      ),
      tap((job) => this.keep(job)),
      last(),
    );
  }

  cancel(id: string): Observable<void> {
    return this.http.post<JobView>(`/api/jobs/${id}/cancel`, {}).pipe(
      tap((job) => this.keep(job)),
      map(() => undefined),
    );
  }

  private keep(job: JobView): void {
    this.jobs.update((jobs) => new Map([...jobs, [job.id, job]]));
  }
}
