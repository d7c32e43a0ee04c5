import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  ImportForesight,
  ImportOrder,
  ImportResult,
  ImportRow,
  LeaveChange,
  LeaveDraft,
  NoticesPage,
  PeopleFacets,
  PeoplePage,
  PeopleQuery,
  PersonChange,
  PersonSheet,
  Resolved,
  TimelineEntry,
  WhyCourse,
} from '@nudrik/contract';
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

  /** Takes what was looked at; the file itself goes along for the record. */
  takeImport(file: File, order: ImportOrder): Observable<ImportResult> {
    return this.http.post<ImportResult>('/api/people/imports', file, {
      params: { order: JSON.stringify(order) },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  /** What the requirements would ask if it were taken; nothing is stored. */
  foreseeImport(file: File, order: ImportOrder): Observable<ImportForesight> {
    return this.http.post<ImportForesight>('/api/people/imports/foresee', file, {
      params: { order: JSON.stringify(order) },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  imports(): Observable<ImportRow[]> {
    return this.http.get<ImportRow[]>('/api/people/imports');
  }

  undoImport(id: string): Observable<unknown> {
    return this.http.post(`/api/people/imports/${id}/undo`, {});
  }

  changeMembers(groupId: string, change: { add?: string[]; remove?: string[] }): Observable<unknown> {
    return this.http.post(`/api/people/groups/${groupId}/members`, change);
  }

  add(person: PersonChange): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/people', person);
  }

  addLeave(id: string, leave: LeaveDraft): Observable<unknown> {
    return this.http.post(`/api/people/${id}/leaves`, leave);
  }

  endLeave(id: string, leaveId: string, to: string | null): Observable<unknown> {
    return this.http.patch(`/api/people/${id}/leaves/${leaveId}`, { to } satisfies LeaveChange);
  }

  removeLeave(id: string, leaveId: string): Observable<unknown> {
    return this.http.delete(`/api/people/${id}/leaves/${leaveId}`);
  }

  timeline(id: string): Observable<TimelineEntry[]> {
    return this.http.get<TimelineEntry[]>(`/api/people/${id}/timeline`);
  }

  why(id: string, courseId: string): Observable<WhyCourse> {
    return this.http.get<WhyCourse>(`/api/people/${id}/why/${courseId}`);
  }

  resolve(text: string): Observable<Resolved> {
    return this.http.post<Resolved>('/api/people/resolve', { text });
  }
}
