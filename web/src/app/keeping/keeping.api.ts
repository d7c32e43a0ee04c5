import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { ErasePreview, EraseRequest, KeepChange, KeepingView, KeepPreview } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class KeepingApi {
  private readonly http = inject(HttpClient);

  view(before: string | null = null): Observable<KeepingView> {
    return this.http.get<KeepingView>('/api/keeping', { params: paramsOf({ before: before ?? undefined }) });
  }

  preview(change: KeepChange): Observable<KeepPreview> {
    return this.http.post<KeepPreview>('/api/keeping/preview', change);
  }

  set(change: KeepChange): Observable<KeepingView> {
    return this.http.put<KeepingView>('/api/keeping', change);
  }

  erasing(person: string): Observable<ErasePreview> {
    return this.http.get<ErasePreview>(`/api/people/${person}/erasing`);
  }

  erase(person: string, request: EraseRequest): Observable<unknown> {
    return this.http.post(`/api/people/${person}/erase`, request);
  }
}
