import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { KeptView, OwnReport, ReportLetters, SentReportDraft, SentReportsView, ViewPage, Role } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

/** Reports that are sent by themselves, and views with a name. */
@Injectable({ providedIn: 'root' })
export class SentApi {
  private readonly http = inject(HttpClient);

  reports(): Observable<SentReportsView> {
    return this.http.get<SentReportsView>('/api/reports/sent');
  }

  add(draft: SentReportDraft): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/reports/sent', draft);
  }

  change(id: string, draft: SentReportDraft): Observable<unknown> {
    return this.http.put(`/api/reports/sent/${id}`, draft);
  }

  remove(id: string): Observable<unknown> {
    return this.http.delete(`/api/reports/sent/${id}`);
  }

  /** Sends it to whoever asks, now. */
  now(id: string): Observable<unknown> {
    return this.http.post(`/api/reports/sent/${id}/now`, {});
  }

  letters(before?: string): Observable<ReportLetters> {
    return this.http.get<ReportLetters>('/api/reports/letters', { params: paramsOf({ before }) });
  }

  /** What went to oneself by link. */
  own(id: string): Observable<OwnReport> {
    return this.http.get<OwnReport>(`/api/reports/letters/${id}`);
  }

  views(page: ViewPage): Observable<KeptView[]> {
    return this.http.get<KeptView[]>(`/api/views/${page}`);
  }

  keepView(page: ViewPage, name: string, params: Record<string, string>, roles: readonly Role[]): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/views', { page, name, params, roles });
  }

  dropView(id: string): Observable<unknown> {
    return this.http.delete(`/api/views/${id}`);
  }
}
