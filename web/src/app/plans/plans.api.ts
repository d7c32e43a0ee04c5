import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  HandoutView,
  LetterView,
  LibraryMessage,
  LibraryVersion,
  PictureView,
  PlanChoices,
  PlanDraft,
  PlanDraftSave,
  PlanDraftSaved,
  PlanFile,
  PlanFileTaken,
  PlanPreview,
  PlanRow,
  PlanStepView,
  PlanVersion,
  PlanView,
  SenderRequest,
  TestLetterResult,
} from '@nudrik/contract';
import type { Language } from '@nudrik/core';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class PlansApi {
  private readonly http = inject(HttpClient);

  list(): Observable<PlanRow[]> {
    return this.http.get<PlanRow[]>('/api/plans');
  }

  get(course: string): Observable<PlanView> {
    return this.http.get<PlanView>(`/api/plans/${course}`);
  }

  choices(course: string): Observable<PlanChoices> {
    return this.http.get<PlanChoices>(`/api/plans/${course}/choices`);
  }

  save(course: string, draft: PlanDraftSave): Observable<PlanDraftSaved> {
    return this.http.put<PlanDraftSaved>(`/api/plans/${course}/draft`, draft);
  }

  drop(course: string, written: number): Observable<unknown> {
    return this.http.post(`/api/plans/${course}/draft/drop`, { written });
  }

  versions(course: string): Observable<PlanVersion[]> {
    return this.http.get<PlanVersion[]>(`/api/plans/${course}/versions`);
  }

  version(course: string, version: number): Observable<PlanStepView[]> {
    return this.http.get<PlanStepView[]>(`/api/plans/${course}/versions/${version}`);
  }

  /** By whose plan a course goes; null gives it one of its own. */
  follow(course: string, follows: string | null): Observable<{ version: number }> {
    return this.http.post<{ version: number }>(`/api/plans/${course}/follow`, { follows });
  }

  /** Who the messages of a course come from. */
  setSender(course: string, request: SenderRequest): Observable<unknown> {
    return this.http.put(`/api/plans/${course}/sender`, request);
  }

  /** Where in the chat it is told who finished a course. */
  setToldIn(course: string, request: { toldIn: string | null; was: string | null }): Observable<unknown> {
    return this.http.put(`/api/plans/${course}/told-in`, request);
  }

  /** The files that messages of a course bring, or may bring. */
  handouts(course: string): Observable<HandoutView[]> {
    return this.http.get<HandoutView[]>(`/api/plans/${course}/handouts`);
  }

  addHandout(course: string, file: File): Observable<HandoutView> {
    return this.http.post<HandoutView>(`/api/plans/${course}/handouts`, file, { params: { name: file.name }, headers: { 'content-type': 'application/octet-stream' } }); // prettier-ignore
  }

  replaceHandout(id: string, file: File): Observable<HandoutView> {
    return this.http.put<HandoutView>(`/api/handouts/${id}`, file, { params: { name: file.name }, headers: { 'content-type': 'application/octet-stream' } }); // prettier-ignore
  }

  /** Every message that a plan in force has. */
  messages(): Observable<LibraryMessage[]> {
    return this.http.get<LibraryMessage[]>('/api/messages');
  }

  messageVersions(course: string, step: string): Observable<LibraryVersion[]> {
    return this.http.get<LibraryVersion[]>(`/api/messages/${course}/${encodeURIComponent(step)}/versions`);
  }

  /** Steps as a plan's own file. */
  file(course: string, steps: PlanStepView[]): Observable<PlanFile> {
    return this.http.post<PlanFile>(`/api/plans/${course}/file`, { steps });
  }

  readFile(course: string, text: string): Observable<PlanFileTaken> {
    return this.http.post<PlanFileTaken>(`/api/plans/${course}/file/read`, { text });
  }

  preview(course: string, draft: Omit<PlanDraft, 'note'>): Observable<PlanPreview> {
    return this.http.post<PlanPreview>(`/api/plans/${course}/preview`, draft);
  }

  /** A step's message as its real readers would have it. */
  letter(course: string, step: PlanStepView, as: string | null, language: Language | null): Observable<LetterView> {
    return this.http.post<LetterView>(`/api/plans/${course}/letter`, { step, as, language });
  }

  /** A picture for the text of a message. */
  addPicture(file: File): Observable<PictureView> {
    return this.http.post<PictureView>('/api/messages/pictures', file, { params: { name: file.name }, headers: { 'content-type': 'application/octet-stream' } }); // prettier-ignore
  }

  /** The same, sent to whoever asks, marked as a test. */
  testLetter(course: string, step: PlanStepView, as: string | null, language: Language | null): Observable<TestLetterResult> {
    return this.http.post<TestLetterResult>(`/api/plans/${course}/letter/test`, { step, as, language });
  }

  publish(course: string, draft: PlanDraft): Observable<{ version: number }> {
    return this.http.post<{ version: number }>(`/api/plans/${course}/publish`, draft);
  }
}
