import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  Exported,
  MatrixCellSheet,
  MatrixView,
  OverTime,
  CoverageView,
  FigureName,
  FigureView,
  FinishedView,
  NotifiedView,
  ReportFileKind,
  ReportPage,
  TeamDay,
  TeamView,
  TodayNeed,
  TodayQuery,
  TodayView,
  UnderWayView,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class ReportsApi {
  private readonly http = inject(HttpClient);

  today(days: TodayQuery = {}): Observable<TodayView> {
    return this.http.get<TodayView>('/api/today', { params: paramsOf(days) });
  }

  needs(): Observable<TodayNeed[]> {
    return this.http.get<TodayNeed[]>('/api/today/needs');
  }

  /** @param token the key of a personal link; without one, of who is signed in */
  team(token?: string): Observable<TeamView> {
    return this.http.get<TeamView>(token ? `/api/team/${encodeURIComponent(token)}` : '/api/team');
  }

  teamDay(params: Record<string, string>): Observable<TeamDay> {
    return this.http.get<TeamDay>('/api/team/day', { params });
  }

  matrix(params: Record<string, string>): Observable<MatrixView> {
    return this.http.get<MatrixView>('/api/matrix', { params });
  }

  matrixCell(person: string, course: string, params: Record<string, string>): Observable<MatrixCellSheet> {
    return this.http.get<MatrixCellSheet>(`/api/matrix/cells/${person}/${course}`, { params });
  }

  course(id: string, params: Record<string, string>): Observable<ReportPage> {
    return this.http.get<ReportPage>(`/api/reports/courses/${id}`, { params });
  }

  /** Where the file of a report is, once it is made. */
  file(kind: ReportFileKind, of: object): Observable<Exported> {
    return this.http.post<Exported>('/api/reports/file', { kind, of });
  }

  notified(id: string, params: Record<string, string>): Observable<NotifiedView> {
    return this.http.get<NotifiedView>(`/api/reports/courses/${id}/notified`, { params });
  }

  coverage(id: string, params: Record<string, string>): Observable<CoverageView> {
    return this.http.get<CoverageView>(`/api/reports/courses/${id}/coverage`, { params });
  }

  finished(id: string, params: Record<string, string>): Observable<FinishedView> {
    return this.http.get<FinishedView>(`/api/reports/courses/${id}/finished`, { params });
  }

  figure(name: FigureName, params: Record<string, string>): Observable<FigureView> {
    return this.http.get<FigureView>(`/api/figures/${name}`, { params });
  }

  underWay(id: string, params: Record<string, string>): Observable<UnderWayView> {
    return this.http.get<UnderWayView>(`/api/reports/courses/${id}/under-way`, { params });
  }

  overTime(id: string): Observable<OverTime> {
    return this.http.get<OverTime>(`/api/reports/courses/${id}/over-time`);
  }
}
