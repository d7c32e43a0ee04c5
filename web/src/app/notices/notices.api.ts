import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  Exported,
  LedgerChoices,
  LedgerExport,
  NoticeAct,
  NoticeGroups,
  NoticeSheet,
  NoticesPage,
  NoticesQuery,
  TestLetterList,
  TestLettersQuery,
  TestLetterView,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class NoticesApi {
  private readonly http = inject(HttpClient);

  list(query: Partial<NoticesQuery>): Observable<NoticesPage> {
    return this.http.get<NoticesPage>('/api/notices', { params: paramsOf(query) });
  }

  /** What fits, by outcome, reason and step. */
  groups(query: Partial<NoticesQuery>): Observable<NoticeGroups> {
    return this.http.get<NoticeGroups>('/api/notices/groups', { params: paramsOf(query) });
  }

  /** Where what fits stands as a file. */
  export(query: Partial<LedgerExport>): Observable<Exported> {
    return this.http.post<Exported>('/api/notices/export', query);
  }

  /** What it can be narrowed down to by name. */
  choices(course: string | undefined): Observable<LedgerChoices> {
    return this.http.get<LedgerChoices>('/api/notices/choices', { params: paramsOf({ course }) });
  }

  tests(query: TestLettersQuery): Observable<TestLetterList> {
    return this.http.get<TestLetterList>('/api/test-letters', { params: paramsOf(query) });
  }

  test(id: string): Observable<TestLetterView> {
    return this.http.get<TestLetterView>(`/api/test-letters/${id}`);
  }

  notice(id: string): Observable<NoticeSheet> {
    return this.http.get<NoticeSheet>(`/api/notices/${id}`);
  }

  why(assignment: string, step: string): Observable<NoticeSheet> {
    return this.http.get<NoticeSheet>('/api/notices/why', { params: { assignment, step } });
  }

  /** Tries again at once what waits for the mail server. */
  /** Tries mail that waits, or what was set aside, at once. */
  retry(what: 'try-now' | 'try-again'): Observable<unknown> {
    return this.http.post(`/api/notices/${what}`, {});
  }

  /** Does something to one notice by hand. */
  actOn(id: string, act: NoticeAct): Observable<unknown> {
    return this.http.post(`/api/notices/${id}/act`, act);
  }
}
