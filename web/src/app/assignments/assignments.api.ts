import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  GroupLetterView,
  ActResult,
  ActRow,
  AssignPreview,
  AssignResult,
  CompletionsPreview,
  RemindPreview,
  RemindResult,
  LadderView,
  WaiverRequestView,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';

/** What may be done by hand with open assignments. */
export type HandAct = 'extend' | 'waive' | 'withdraw' | 'take-up' | 'ask-waiver';

@Injectable({ providedIn: 'root' })
export class AssignmentsApi {
  private readonly http = inject(HttpClient);

  previewAssign(request: object): Observable<AssignPreview> {
    return this.http.post<AssignPreview>('/api/assignments/preview', request);
  }

  assign(request: object): Observable<AssignResult> {
    return this.http.post<AssignResult>('/api/assignments', request);
  }

  act(what: HandAct, request: object): Observable<ActResult> {
    return this.http.post<ActResult>(`/api/assignments/${what}`, request);
  }

  /** Where the ladder of an assignment stands. */
  ladder(assignment: string): Observable<LadderView> {
    return this.http.get<LadderView>(`/api/assignments/${assignment}/ladder`);
  }

  waivers(): Observable<WaiverRequestView[]> {
    return this.http.get<WaiverRequestView[]>('/api/waivers');
  }

  answerWaiver(id: string, answer: object): Observable<ActResult> {
    return this.http.post<ActResult>(`/api/waivers/${id}`, answer);
  }

  /** Letters to groups of a course. */
  groupLetters(course: string): Observable<GroupLetterView[]> {
    return this.http.get<GroupLetterView[]>(`/api/courses/${course}/letters`);
  }

  endLetter(letter: string): Observable<GroupLetterView[]> {
    return this.http.post<GroupLetterView[]>(`/api/letters/${letter}/end`, {});
  }

  previewRemind(request: object): Observable<RemindPreview> {
    return this.http.post<RemindPreview>('/api/assignments/remind/preview', request);
  }

  remind(request: object): Observable<RemindResult> {
    return this.http.post<RemindResult>('/api/assignments/remind', request);
  }

  acts(): Observable<ActRow[]> {
    return this.http.get<ActRow[]>('/api/assignments/acts');
  }

  undo(actId: string): Observable<unknown> {
    return this.http.post(`/api/assignments/acts/${actId}/undo`, {});
  }

  previewCompletions(request: object): Observable<CompletionsPreview> {
    return this.http.post<CompletionsPreview>('/api/assignments/completions/preview', request);
  }

  recordCompletions(request: object): Observable<ActResult> {
    return this.http.post<ActResult>('/api/assignments/completions', request);
  }
}
