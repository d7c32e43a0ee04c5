import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  HoldDraft,
  HoldPreview,
  HoldQuestion,
  HoldRelease,
  HoldsView,
  HoldView,
  ReleasePreview,
  ReleaseResult,
} from '@nudrik/contract';
import type { HoldScope } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class HoldingApi {
  private readonly http = inject(HttpClient);

  list(): Observable<HoldsView> {
    return this.http.get<HoldsView>('/api/holds');
  }

  /** What holds messages of a course, or about somebody. */
  over(scope: HoldScope, of: string | null): Observable<HoldView[]> {
    return this.http.get<HoldView[]>('/api/holds/over', { params: paramsOf({ scope, of: of ?? undefined }) });
  }

  preview(question: HoldQuestion): Observable<HoldPreview> {
    return this.http.post<HoldPreview>('/api/holds/preview', question);
  }

  hold(draft: HoldDraft): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/holds', draft);
  }

  previewRelease(id: string): Observable<ReleasePreview> {
    return this.http.get<ReleasePreview>(`/api/holds/${id}/release`);
  }

  release(id: string, how: HoldRelease['how']): Observable<ReleaseResult> {
    return this.http.post<ReleaseResult>(`/api/holds/${id}/release`, { how });
  }
}
