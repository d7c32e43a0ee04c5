import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { LearningView, MyTraining, PackageView, Place, PlayedReport, PlayedView } from '@nudrik/contract';
import type { SurveyAnswer } from '@nudrik/core';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class LearningApi {
  private readonly http = inject(HttpClient);

  find(token: string): Observable<LearningView> {
    return this.http.get<LearningView>(`/api/learning/${encodeURIComponent(token)}`);
  }

  /** Makes the address of one's calendar, or another; or ends it. */
  setCalendar(isOn: boolean): Observable<{ address: string | null }> {
    return this.http.put<{ address: string | null }>('/api/my-training/calendar', { isOn });
  }

  start(token: string): Observable<unknown> {
    return this.http.post(`/api/learning/${encodeURIComponent(token)}/start`, {});
  }

  /** Ends this link; another goes to the address of its own person. */
  renew(token: string): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/learning/${encodeURIComponent(token)}/renew`, {});
  }

  markDone(token: string, unit: string): Observable<{ finished: boolean }> {
    return this.http.post<{ finished: boolean }>(`/api/learning/${encodeURIComponent(token)}/units/${unit}/done`, {});
  }

  /** Where somebody is in a unit. */
  keepPlace(token: string, unit: string, place: Place): Observable<unknown> {
    return this.http.put(`${unitAt(token, unit)}/place`, place);
  }

  tellPlayed(token: string, unit: string, report: PlayedReport): Observable<PlayedView> {
    return this.http.post<PlayedView>(`${unitAt(token, unit)}/played`, report);
  }

  package(token: string, unit: string): Observable<PackageView> {
    return this.http.get<PackageView>(`${unitAt(token, unit)}/package`);
  }

  tellPackage(token: string, unit: string, data: string): Observable<{ isDone: boolean; finished: boolean }> {
    return this.http.put<{ isDone: boolean; finished: boolean }>(`${unitAt(token, unit)}/package`, { data });
  }

  answerSurvey(token: string, unit: string, answers: Record<string, SurveyAnswer>): Observable<{ finished: boolean }> {
    return this.http.post<{ finished: boolean }>(`${unitAt(token, unit)}/survey`, { answers });
  }

  /** Where the file of a unit is. */
  fileAt(token: string, unit: string): string {
    return `${unitAt(token, unit)}/file`;
  }

  captionsAt(token: string, unit: string, language: string): string {
    return `${unitAt(token, unit)}/captions/${language}`;
  }

  mine(): Observable<MyTraining> {
    return this.http.get<MyTraining>('/api/my-training');
  }
}

/** A unit behind a link, in the API. */
export const unitAt = (token: string, unit: string): string => `/api/learning/${encodeURIComponent(token)}/units/${unit}`;
