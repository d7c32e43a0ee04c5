import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { FeedChange, FeedMode, FeedView, PullRow } from '@nudrik/contract';
import type { RosterPreview } from '@nudrik/core';
import type { Observable } from 'rxjs';

/** The personnel feed: its set-up, its pulls, what waits. */
@Injectable({ providedIn: 'root' })
export class FeedApi {
  private readonly http = inject(HttpClient);

  feed(): Observable<FeedView> {
    return this.http.get<FeedView>('/api/people/feed');
  }

  changeFeed(change: FeedChange): Observable<unknown> {
    return this.http.put('/api/people/feed', change);
  }

  pullNow(): Observable<PullRow> {
    return this.http.post<PullRow>('/api/people/feed/pull', {});
  }

  setFeedMode(mode: FeedMode): Observable<unknown> {
    return this.http.put('/api/people/feed/mode', { mode });
  }

  previewPull(id: string): Observable<RosterPreview> {
    return this.http.get<RosterPreview>(`/api/people/feed/pulls/${id}`);
  }

  decidePull(id: string, word: 'approve' | 'decline'): Observable<unknown> {
    return this.http.post(`/api/people/feed/pulls/${id}/${word}`, {});
  }
}
