import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { HookCallsView, HookDraft, HookMade, HooksView, ProgramsView, StatementsView, TokenDraft, TokenMade } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class ProgramsApi {
  private readonly http = inject(HttpClient);

  view(): Observable<ProgramsView> {
    return this.http.get<ProgramsView>('/api/programs');
  }

  make(draft: TokenDraft): Observable<TokenMade> {
    return this.http.post<TokenMade>('/api/programs', draft);
  }

  end(id: string): Observable<unknown> {
    return this.http.delete(`/api/programs/${id}`);
  }

  statements(show: 'to-see' | 'all', after: string | null): Observable<StatementsView> {
    return this.http.get<StatementsView>('/api/programs/statements', { params: paramsOf({ show, after: after ?? undefined }) });
  }

  setActivity(activity: string, courseId: string | null): Observable<{ recorded: number }> {
    return this.http.put<{ recorded: number }>('/api/programs/activities', { activity, courseId });
  }

  settleAgain(): Observable<{ recorded: number }> {
    return this.http.post<{ recorded: number }>('/api/programs/statements/again', {});
  }

  see(id: string): Observable<unknown> {
    return this.http.post(`/api/programs/statements/${id}/seen`, {});
  }

  hooks(): Observable<HooksView> {
    return this.http.get<HooksView>('/api/programs/hooks');
  }

  makeHook(draft: HookDraft): Observable<HookMade> {
    return this.http.post<HookMade>('/api/programs/hooks', draft);
  }

  endHook(id: string): Observable<unknown> {
    return this.http.delete(`/api/programs/hooks/${id}`);
  }

  calls(id: string, before: string | null): Observable<HookCallsView> {
    return this.http.get<HookCallsView>(`/api/programs/hooks/${id}/calls`, { params: paramsOf({ before: before ?? undefined }) });
  }

  leaveCalls(id: string, call: string | null): Observable<{ left: number }> {
    return this.http.post<{ left: number }>(`/api/programs/hooks/${id}/leave`, { call });
  }

  callAgain(id: string, call: string | null): Observable<{ again: number }> {
    return this.http.post<{ again: number }>(`/api/programs/hooks/${id}/again`, { call });
  }
}
