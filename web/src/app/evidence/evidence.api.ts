import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { LookedView, PackMade, PackPreview, PackRequest, PacksView, SampleView } from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class EvidenceApi {
  private readonly http = inject(HttpClient);

  packs(): Observable<PacksView> {
    return this.http.get<PacksView>('/api/evidence/packs');
  }

  /** What would be in a pack. */
  preview(request: PackRequest): Observable<PackPreview> {
    return this.http.post<PackPreview>('/api/evidence/preview', request);
  }

  /** Makes it, as long work: answered once it is there. */
  make(request: PackRequest): Observable<PackMade> {
    return this.http.post<PackMade>('/api/evidence/packs', request);
  }

  sample(params: Record<string, string>): Observable<SampleView> {
    return this.http.get<SampleView>('/api/evidence/sample', { params });
  }

  looked(params: Record<string, string>): Observable<LookedView> {
    return this.http.get<LookedView>('/api/evidence/looked', { params });
  }
}
