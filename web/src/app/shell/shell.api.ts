import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { ClockMove, ClockView, Ribbon } from '@nudrik/contract';
import type { Observable } from 'rxjs';

/** What the frame shows on every page: the clock and the days. */
@Injectable({ providedIn: 'root' })
export class ShellApi {
  private readonly http = inject(HttpClient);

  clock(): Observable<ClockView> {
    return this.http.get<ClockView>('/api/clock');
  }

  move(move: ClockMove): Observable<ClockView> {
    return this.http.post<ClockView>('/api/clock/move', move);
  }

  ribbon(): Observable<Ribbon> {
    return this.http.get<Ribbon>('/api/ribbon');
  }
}
