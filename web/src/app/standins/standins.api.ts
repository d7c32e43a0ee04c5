import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { ChatRoomChange, ChatRoomView, PostRoomLetter, PostRoomView } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class StandinsApi {
  private readonly http = inject(HttpClient);

  /** @param inText the words of mails are looked through too */
  postRoom(find: string | undefined, inText: boolean): Observable<PostRoomView> {
    return this.http.get<PostRoomView>('/api/post-room', { params: paramsOf({ find, inText: inText ? 'true' : undefined }) });
  }

  mail(id: string): Observable<PostRoomLetter> {
    return this.http.get<PostRoomLetter>(`/api/post-room/mails/${id}`);
  }

  /** Its reader writes back. */
  reply(id: string, words: string): Observable<{ response: string }> {
    return this.http.post<{ response: string }>(`/api/post-room/mails/${id}/reply`, { words });
  }

  /** @param thread whose words are asked for */
  chatRoom(thread: string | undefined): Observable<ChatRoomView> {
    return this.http.get<ChatRoomView>('/api/chat-room', { params: paramsOf({ thread }) });
  }

  /** Somebody writes back in the chat. */
  replyInChat(thread: string, words: string): Observable<{ response: string }> {
    return this.http.post<{ response: string }>('/api/chat-room/replies', { thread, words });
  }

  changeChat(change: ChatRoomChange): Observable<unknown> {
    return this.http.put('/api/chat-room/behaviour', change);
  }

  /** Makes the post room misbehave, or behave. */
  change(what: string, body: object): Observable<unknown> {
    return this.http.put(`/api/post-room/${what}`, body);
  }
}
