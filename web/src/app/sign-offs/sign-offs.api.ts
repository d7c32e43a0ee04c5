import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { MySignOff, NewSignOffLink, SignOffCorrection, SignOffEntryDraft, SignOffForeseen, SignOffLinkView, SignOffList, SignOffResult, SignOffSend, SignOffView } from '@nudrik/contract'; // prettier-ignore
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class SignOffsApi {
  private readonly http = inject(HttpClient);

  /** @param base where a supervisor's list is: `sign-off/<link>`, or `my-sign-offs/<course>/<unit>` */
  view(base: string, session: string | null = null, find = ''): Observable<SignOffView> {
    return this.http.get<SignOffView>(`/api/${base}`, { params: { ...(session && { session }), ...(find && { find }) } });
  }

  foresee(base: string, entries: SignOffEntryDraft[], session: string | null = null): Observable<SignOffForeseen[]> {
    return this.http.post<SignOffForeseen[]>(`/api/${base}/preview`, { entries, session });
  }

  send(base: string, list: SignOffSend): Observable<SignOffResult> {
    return this.http.post<SignOffResult>(`/api/${base}`, list);
  }

  mine(): Observable<MySignOff[]> {
    return this.http.get<MySignOff[]>('/api/my-sign-offs');
  }

  list(course: string, unit: string): Observable<SignOffList> {
    return this.http.get<SignOffList>(`/api/courses/${course}/sign-offs/${unit}`);
  }

  correct(course: string, unit: string, id: string, correction: SignOffCorrection): Observable<{ words: string }> {
    return this.http.post<{ words: string }>(`/api/courses/${course}/sign-offs/${unit}/entries/${id}/correct`, correction);
  }

  makeLink(course: string, unit: string, draft: NewSignOffLink): Observable<SignOffLinkView & { url: string }> {
    return this.http.post<SignOffLinkView & { url: string }>(`/api/courses/${course}/sign-offs/${unit}/links`, draft);
  }

  endLink(course: string, unit: string, id: string): Observable<unknown> {
    return this.http.delete(`/api/courses/${course}/sign-offs/${unit}/links/${id}`);
  }
}
