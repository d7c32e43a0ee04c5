import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  CourseDraft,
  CourseRow,
  CourseTaken,
  CourseView,
  DraftSave,
  DraftSaved,
  DraftView,
  Editor,
  FormerFile,
  Invitation,
  InvitedView,
  LookRequest,
  LookView,
  RemarkDraft,
  RemarksView,
  LiveView,
  Published,
  PublishPreview,
  ReleaseLook,
  ReleaseSeen,
  Retiring,
  WentLive,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class CoursesApi {
  private readonly http = inject(HttpClient);

  list(): Observable<CourseRow[]> {
    return this.http.get<CourseRow[]>('/api/courses');
  }

  get(id: string): Observable<CourseView> {
    return this.http.get<CourseView>(`/api/courses/${id}`);
  }

  add(title: string): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/courses', { title });
  }

  formerFiles(id: string, unit: string): Observable<FormerFile[]> {
    return this.http.get<FormerFile[]>(`/api/courses/${id}/units/${unit}/files`);
  }

  /** A new course from a zip of Markdown. */
  fromFile(file: File): Observable<CourseTaken> {
    return this.http.post<CourseTaken>('/api/courses/from-file', file, {
      params: { name: file.name },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  copy(id: string, title: string): Observable<{ id: string }> {
    return this.http.post<{ id: string }>(`/api/courses/${id}/copy`, { title });
  }

  draft(id: string): Observable<DraftView> {
    return this.http.get<DraftView>(`/api/courses/${id}/draft`);
  }

  save(id: string, save: Omit<DraftSave, 'content'> & { content: CourseDraft }): Observable<DraftSaved> {
    return this.http.put<DraftSaved>(`/api/courses/${id}/draft`, save);
  }

  drop(id: string): Observable<unknown> {
    return this.http.delete(`/api/courses/${id}/draft`);
  }

  /** Says that the course is open here, and hears who else has it open. */
  here(id: string): Observable<{ version: number; others: Editor[] }> {
    return this.http.post<{ version: number; others: Editor[] }>(`/api/courses/${id}/here`, {});
  }

  leave(id: string): Observable<unknown> {
    return this.http.delete(`/api/courses/${id}/here`);
  }

  openings(id: string, look: Omit<ReleaseLook, 'content'> & { content: CourseDraft }): Observable<ReleaseSeen> {
    return this.http.post<ReleaseSeen>(`/api/courses/${id}/openings`, look);
  }

  publishing(id: string): Observable<PublishPreview> {
    return this.http.get<PublishPreview>(`/api/courses/${id}/publish`);
  }

  publish(id: string, version: number): Observable<Published> {
    return this.http.post<Published>(`/api/courses/${id}/publish`, { version });
  }

  live(id: string): Observable<LiveView> {
    return this.http.get<LiveView>(`/api/courses/${id}/live`);
  }

  goLive(id: string, version: number): Observable<WentLive> {
    return this.http.post<WentLive>(`/api/courses/${id}/live`, { version });
  }

  retire(id: string, retiring: Retiring): Observable<{ withdrawn: number }> {
    return this.http.post<{ withdrawn: number }>(`/api/courses/${id}/retire`, retiring);
  }

  look(id: string, request: LookRequest): Observable<LookView> {
    return this.http.post<LookView>(`/api/courses/${id}/look`, request);
  }

  remarks(id: string): Observable<RemarksView> {
    return this.http.get<RemarksView>(`/api/courses/${id}/remarks`);
  }

  remark(id: string, remark: RemarkDraft): Observable<unknown> {
    return this.http.post(`/api/courses/${id}/remarks`, remark);
  }

  tick(remark: string, isDone: boolean): Observable<unknown> {
    return this.http.patch(`/api/remarks/${remark}`, { isDone });
  }

  invite(id: string, invitation: Invitation): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/courses/${id}/invitations`, invitation);
  }

  endInvitation(id: string, look: string): Observable<unknown> {
    return this.http.delete(`/api/courses/${id}/invitations/${look}`);
  }

  /** What a colleague is asked to look at, by the link that they have. */
  invited(token: string): Observable<InvitedView> {
    return this.http.get<InvitedView>(`/api/looks/${encodeURIComponent(token)}`);
  }

  invitedLook(token: string, request: LookRequest): Observable<LookView> {
    return this.http.post<LookView>(`/api/looks/${encodeURIComponent(token)}/look`, request);
  }

  invitedRemark(token: string, remark: RemarkDraft): Observable<InvitedView> {
    return this.http.post<InvitedView>(`/api/looks/${encodeURIComponent(token)}/remarks`, remark);
  }

  takeUp(id: string): Observable<unknown> {
    return this.http.post(`/api/courses/${id}/take-up`, {});
  }
}
