import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { ReachChange, ReachView } from '@nudrik/contract';
import type { Observable } from 'rxjs';

/** How somebody is told. @param base whose: a person's, one's own, or that of a personal link */
@Injectable({ providedIn: 'root' })
export class ReachApi {
  private readonly http = inject(HttpClient);

  find(base: string): Observable<ReachView> {
    return this.http.get<ReachView>(`${base}/reach`);
  }

  change(base: string, change: ReachChange): Observable<ReachView> {
    return this.http.put<ReachView>(`${base}/reach`, change);
  }

  /** What was declined is sent again. */
  haveAgain(base: string, id: string): Observable<ReachView> {
    return this.http.delete<ReachView>(`${base}/declined/${id}`);
  }
}
