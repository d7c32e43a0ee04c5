import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  AccountInvite,
  AccountsView,
  FactorSetup,
  FactorState,
  InviteResult,
  KeyView,
  Role,
  Session,
  SessionRow,
} from '@nudrik/contract';
import type { Observable } from 'rxjs';

/** Who may enter, links that let in, and one's own account. */
@Injectable({ providedIn: 'root' })
export class AccountsApi {
  private readonly http = inject(HttpClient);

  list(): Observable<AccountsView> {
    return this.http.get<AccountsView>('/api/accounts');
  }

  invite(invite: AccountInvite): Observable<InviteResult> {
    return this.http.post<InviteResult>('/api/accounts', invite);
  }

  setRole(id: string, role: Role): Observable<unknown> {
    return this.http.patch(`/api/accounts/${id}`, { role });
  }

  end(id: string): Observable<unknown> {
    return this.http.delete(`/api/accounts/${id}`);
  }

  askForLink(email: string): Observable<unknown> {
    return this.http.post('/api/session/link', { email });
  }

  look(key: string): Observable<KeyView> {
    return this.http.get<KeyView>(`/api/session/keys/${encodeURIComponent(key)}`);
  }

  open(key: string, password: string | null, code: string | null): Observable<Session> {
    return this.http.post<Session>(`/api/session/keys/${encodeURIComponent(key)}`, { password, code });
  }

  sessions(): Observable<SessionRow[]> {
    return this.http.get<SessionRow[]>('/api/account/sessions');
  }

  /** @param id of one session, or 'others' */
  endSession(id: string): Observable<unknown> {
    return this.http.delete(`/api/account/sessions/${id}`);
  }

  secondFactor(): Observable<FactorState> {
    return this.http.get<FactorState>('/api/account/second-factor');
  }

  beginSecondFactor(password: string): Observable<FactorSetup> {
    return this.http.post<FactorSetup>('/api/account/second-factor', { password });
  }

  confirmSecondFactor(code: string): Observable<{ spareCodes: string[] }> {
    return this.http.put<{ spareCodes: string[] }>('/api/account/second-factor', { code });
  }

  endSecondFactor(password: string): Observable<unknown> {
    return this.http.delete('/api/account/second-factor', { body: { password } });
  }

  /** For somebody whose phone is lost. */
  endSecondFactorOf(id: string): Observable<unknown> {
    return this.http.delete(`/api/accounts/${id}/second-factor`);
  }

  changePassword(current: string, password: string): Observable<unknown> {
    return this.http.put('/api/account/password', { current, password });
  }
}
