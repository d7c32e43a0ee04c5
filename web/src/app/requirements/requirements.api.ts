import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  Outside,
  RequirementDraft,
  RequirementPeople,
  RequirementPreview,
  RequirementResult,
  RequirementRow,
  RequirementsDay,
  RequirementView,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class RequirementsApi {
  private readonly http = inject(HttpClient);

  list(): Observable<RequirementRow[]> {
    return this.http.get<RequirementRow[]>('/api/requirements');
  }

  day(params: Record<string, string>): Observable<RequirementsDay> {
    return this.http.get<RequirementsDay>('/api/requirements/day', { params });
  }

  get(id: string): Observable<RequirementView> {
    return this.http.get<RequirementView>(`/api/requirements/${id}`);
  }

  people(id: string): Observable<RequirementPeople> {
    return this.http.get<RequirementPeople>(`/api/requirements/${id}/people`);
  }

  preview(id: string | null, draft: RequirementDraft): Observable<RequirementPreview> {
    return this.http.post<RequirementPreview>('/api/requirements/preview', { id, draft });
  }

  add(draft: RequirementDraft): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/requirements', draft);
  }

  change(id: string, version: number, draft: RequirementDraft, outside: Outside): Observable<RequirementResult> {
    return this.http.put<RequirementResult>(`/api/requirements/${id}`, { version, draft, outside });
  }

  switchOn(id: string, version: number): Observable<RequirementResult> {
    return this.http.post<RequirementResult>(`/api/requirements/${id}/on`, { version });
  }

  switchOff(id: string, version: number, outside: 'withdraw' | 'keep'): Observable<RequirementResult> {
    return this.http.post<RequirementResult>(`/api/requirements/${id}/off`, { version, outside });
  }

  decide(id: string, assignmentIds: string[], outside: 'withdraw' | 'keep'): Observable<RequirementResult> {
    return this.http.post<RequirementResult>(`/api/requirements/${id}/outside`, { assignmentIds, outside });
  }

  remove(id: string): Observable<unknown> {
    return this.http.delete(`/api/requirements/${id}`);
  }
}
