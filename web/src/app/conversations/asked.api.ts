import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { AskDraft, AskedView, AskWordDraft } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

/** What is asked on the page of a course, behind a personal link. */
@Injectable({ providedIn: 'root' })
export class AskedApi {
  private readonly http = inject(HttpClient);
  private readonly at = (token: string): string => `/api/learning/${encodeURIComponent(token)}/asked`;

  find(token: string, after: string | null): Observable<AskedView> {
    return this.http.get<AskedView>(this.at(token), { params: paramsOf({ after: after ?? undefined }) });
  }

  ask(token: string, draft: AskDraft): Observable<AskedView> {
    return this.http.post<AskedView>(this.at(token), draft);
  }

  writeOn(token: string, id: string, draft: AskWordDraft): Observable<AskedView> {
    return this.http.post<AskedView>(`${this.at(token)}/${id}/words`, draft);
  }
}
