import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { LearningSessions, MySessions, NewSession, SeatAnswer, SessionChange, SessionChangeForeseen, SessionsView } from '@nudrik/contract'; // prettier-ignore
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class SessionsApi {
  private readonly http = inject(HttpClient);

  list(course: string, unit: string): Observable<SessionsView> {
    return this.http.get<SessionsView>(`/api/courses/${course}/sessions/${unit}`);
  }

  make(course: string, unit: string, session: NewSession): Observable<{ id: string | null }> {
    return this.http.post<{ id: string | null }>(`/api/courses/${course}/sessions/${unit}`, session);
  }

  foresee(id: string, change: SessionChange): Observable<SessionChangeForeseen> {
    return this.http.post<SessionChangeForeseen>(`/api/sessions/${id}/preview`, change);
  }

  change(id: string, change: SessionChange): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/sessions/${id}`, change);
  }

  foreseeCancel(id: string): Observable<SessionChangeForeseen> {
    return this.http.post<SessionChangeForeseen>(`/api/sessions/${id}/cancel/preview`, {});
  }

  cancel(id: string, told: string | null): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/sessions/${id}/cancel`, { told });
  }

  seat(id: string, assignmentId: string, anyway: boolean): Observable<SeatAnswer> {
    return this.http.post<SeatAnswer>(`/api/sessions/${id}/seats`, { assignmentId, anyway });
  }

  giveUp(id: string, assignmentId: string): Observable<SeatAnswer> {
    return this.http.post<SeatAnswer>(`/api/sessions/${id}/seats/${assignmentId}/give-up`, {});
  }

  mine(): Observable<MySessions[]> {
    return this.http.get<MySessions[]>('/api/my-sessions');
  }

  /** Of an employee, by their personal link. */
  own(token: string, unit: string): Observable<LearningSessions> {
    return this.http.get<LearningSessions>(`/api/learning/${token}/units/${unit}/sessions`);
  }

  ownSeat(token: string, unit: string, session: string, anyway: boolean): Observable<SeatAnswer> {
    return this.http.post<SeatAnswer>(`/api/learning/${token}/units/${unit}/seat`, { session, anyway });
  }

  ownGiveUp(token: string, unit: string, session: string): Observable<SeatAnswer> {
    return this.http.post<SeatAnswer>(`/api/learning/${token}/units/${unit}/seat/give-up`, { session });
  }
}
