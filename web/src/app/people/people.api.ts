import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { NoticesPage, PeopleFacets, PeoplePage, PeopleQuery, PersonChange, PersonSheet } from '@nudrik/contract';
import type { RosterPreview } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class PeopleApi {
  private readonly http = inject(HttpClient);

  list(query: Partial<PeopleQuery>): Observable<PeoplePage> {
    return this.http.get<PeoplePage>('/api/people', { params: paramsOf(query) });
  }

  facets(): Observable<PeopleFacets> {
    return this.http.get<PeopleFacets>('/api/people/facets');
  }

  person(id: string): Observable<PersonSheet> {
    return this.http.get<PersonSheet>(`/api/people/${id}`);
  }

  notices(id: string): Observable<NoticesPage> {
    return this.http.get<NoticesPage>('/api/notices', { params: { person: id, size: 200 } });
  }

  change(id: string, change: PersonChange): Observable<unknown> {
    return this.http.patch(`/api/people/${id}`, change);
  }

  previewImport(file: File): Observable<RosterPreview & { mark: string }> {
    return this.http.post<RosterPreview & { mark: string }>('/api/people/import', file, {
      params: { fileName: file.name },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  takeImport(file: File, mark: string): Observable<{ added: number; changed: number; rejected: number }> {
    return this.http.post<{ added: number; changed: number; rejected: number }>('/api/people/import', file, {
      params: { fileName: file.name, take: mark },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }
}
