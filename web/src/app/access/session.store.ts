import { HttpClient } from '@angular/common/http';
import { computed, inject, Injectable, signal } from '@angular/core';
import type { DemoAccount, Role, Session } from '@nudrik/contract';
import { zoneWords } from '@nudrik/core';
import { catchError, of, tap, type Observable } from 'rxjs';

/** Who is signed in, and what the pages need to know of the house. */
@Injectable({ providedIn: 'root' })
export class SessionStore {
  private readonly http = inject(HttpClient);
  private readonly session = signal<Session | null>(null);
  readonly current = this.session.asReadonly();
  readonly account = computed(() => this.session()?.account ?? null);
  readonly isDemo = computed(() => this.session()?.isDemo ?? false);
  readonly zone = computed(() => this.session()?.zone ?? 'UTC');
  /** the zone of tables, for their heads: `Oslo time` */
  readonly zoneWords = computed(() => zoneWords(this.zone()));
  readonly canChange = computed(() => this.account()?.role === 'administrator');
  readonly canEdit = computed(() => this.account()?.role === 'administrator' || this.account()?.role === 'trainer');

  csrf(): string {
    return this.session()?.csrf ?? 'none';
  }

  /** The first request of the page; a server that does not answer leaves everyone signed out. */
  start(): Observable<Session | null> {
    return this.http.get<Session>('/api/session').pipe(
      tap((session) => this.session.set(session)),
      catchError(() => of(null)),
    );
  }

  /** @param code of the second factor, where there is one */
  signIn(email: string, password: string, code: string | null): Observable<Session> {
    return this.http.post<Session>('/api/session', { email, password, code }).pipe(tap((session) => this.session.set(session)));
  }

  demoAccounts(): Observable<DemoAccount[]> {
    return this.http.get<DemoAccount[]>('/api/demo/accounts');
  }

  signInAs(accountId: string): Observable<Session> {
    return this.http.post<Session>('/api/session/demo', { accountId }).pipe(tap((session) => this.session.set(session)));
  }

  /** A link let somebody in. */
  take(session: Session): void {
    this.session.set(session);
  }

  signOut(): Observable<Session> {
    return this.http.delete<Session>('/api/session').pipe(tap((session) => this.session.set(session)));
  }

  /** The session has ended on the server. */
  forget(): void {
    this.session.update((session) => session && { ...session, account: null, csrf: null });
  }
}

/** Where each role begins. */
export const homeOf = (role: Role): string => (role === 'employee' ? '/my-training' : role === 'manager' ? '/my-team' : '/today');
