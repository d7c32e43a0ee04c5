import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { Answer, AttemptView, QtiRead, QuizView, SubmissionsView, WaitingAttempt } from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class QuizzesApi {
  private readonly http = inject(HttpClient);
  private readonly at = (token: string, unit: string, what: string): string =>
    `/api/learning/${encodeURIComponent(token)}/units/${unit}/${what}`;

  view(token: string, unit: string): Observable<QuizView> {
    return this.http.get<QuizView>(this.at(token, unit, 'quiz'));
  }

  begin(token: string, unit: string): Observable<QuizView> {
    return this.http.post<QuizView>(this.at(token, unit, 'quiz'), {});
  }

  keep(token: string, unit: string, attempt: number, answers: Record<string, Answer>): Observable<{ isOpen: boolean; now: string }> {
    return this.http.put<{ isOpen: boolean; now: string }>(this.at(token, unit, 'attempt'), { attempt, answers });
  }

  submit(token: string, unit: string, attempt: number, answers: Record<string, Answer>): Observable<QuizView> {
    return this.http.post<QuizView>(this.at(token, unit, 'attempt'), { attempt, answers });
  }

  /** Questions of a package of QTI 3.0, or of one item. */
  read(file: File): Observable<QtiRead> {
    return this.http.post<QtiRead>('/api/quizzes/read', file, {
      params: { name: file.name },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  submissions(course: string, unit: string): Observable<SubmissionsView> {
    return this.http.get<SubmissionsView>(`/api/courses/${course}/quizzes/${unit}`);
  }

  attempt(id: string): Observable<AttemptView> {
    return this.http.get<AttemptView>(`/api/attempts/${id}`);
  }

  mark(id: string, marks: Record<string, number>, words: string): Observable<AttemptView> {
    return this.http.post<AttemptView>(`/api/attempts/${id}/marks`, { marks, words });
  }

  another(assignment: string, unit: string): Observable<unknown> {
    return this.http.post(`/api/assignments/${assignment}/quizzes/${unit}/another`, {});
  }

  waiting(): Observable<WaitingAttempt[]> {
    return this.http.get<WaitingAttempt[]>('/api/marking');
  }
}
