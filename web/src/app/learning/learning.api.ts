import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { LearningView, MyTraining } from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class LearningApi {
  private readonly http = inject(HttpClient);

  find(token: string): Observable<LearningView> {
    return this.http.get<LearningView>(`/api/learning/${encodeURIComponent(token)}`);
  }

  start(token: string): Observable<unknown> {
    return this.http.post(`/api/learning/${encodeURIComponent(token)}/start`, {});
  }

  /** Ends this link; another goes to the address of its own person. */
  renew(token: string): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/learning/${encodeURIComponent(token)}/renew`, {});
  }

  markDone(token: string, unit: string): Observable<{ finished: boolean }> {
    return this.http.post<{ finished: boolean }>(`/api/learning/${encodeURIComponent(token)}/units/${unit}/done`, {});
  }

  mine(): Observable<MyTraining> {
    return this.http.get<MyTraining>('/api/my-training');
  }
}
