import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { AnswerDraft, ArrivalList, ConversationList, ConversationsQuery, ConversationView } from '@nudrik/contract';
import type { ShownTo } from '@nudrik/core';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class ConversationsApi {
  private readonly http = inject(HttpClient);

  list(query: Partial<ConversationsQuery>): Observable<ConversationList> {
    return this.http.get<ConversationList>('/api/conversations', { params: paramsOf(query) });
  }

  one(id: string): Observable<ConversationView> {
    return this.http.get<ConversationView>(`/api/conversations/${id}`);
  }

  answer(id: string, draft: AnswerDraft): Observable<ConversationView> {
    return this.http.post<ConversationView>(`/api/conversations/${id}/answers`, draft);
  }

  /** Puts a file to the answer that is being written. */
  /** Files that were put to an answer which has not gone. */
  files(id: string): Observable<{ id: string; name: string; bytes: number }[]> {
    return this.http.get<{ id: string; name: string; bytes: number }[]>(`/api/conversations/${id}/files`);
  }

  putFile(id: string, file: File): Observable<{ id: string; name: string; bytes: number }> {
    return this.http.post<{ id: string; name: string; bytes: number }>(`/api/conversations/${id}/files`, file, {
      params: { name: file.name.slice(-150) },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  dropFile(id: string, file: string): Observable<unknown> {
    return this.http.delete(`/api/conversations/${id}/files/${file}`);
  }

  setOpen(id: string, isOpen: boolean): Observable<ConversationView> {
    return this.http.put<ConversationView>(`/api/conversations/${id}/state`, { isOpen });
  }

  giveTo(id: string, reader: string | null): Observable<ConversationView> {
    return this.http.put<ConversationView>(`/api/conversations/${id}/reader`, { reader });
  }

  /** Who reads it on the page of the course. */
  showTo(id: string, to: ShownTo): Observable<ConversationView> {
    return this.http.put<ConversationView>(`/api/conversations/${id}/shown`, { to });
  }

  takeOff(id: string, post: string, isOff: boolean): Observable<ConversationView> {
    return this.http.put<ConversationView>(`/api/conversations/${id}/posts/${post}/off`, { isOff });
  }

  sendAgain(id: string): Observable<ConversationView> {
    return this.http.post<ConversationView>(`/api/conversations/${id}/again`, {});
  }

  arrivals(show: 'waiting' | 'all', after: string | null): Observable<ArrivalList> {
    return this.http.get<ArrivalList>('/api/arrivals', { params: paramsOf({ show, after: after ?? undefined }) });
  }

  setAside(id: string): Observable<unknown> {
    return this.http.post(`/api/arrivals/${id}/aside`, {});
  }

  /** A mail that answered nothing is the word of a person. */
  take(id: string, person: string): Observable<ConversationView> {
    return this.http.post<ConversationView>(`/api/arrivals/${id}/conversation`, { person });
  }
}
