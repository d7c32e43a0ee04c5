import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { MailboxView, SettingsDraft, SettingsView, TestMailResult } from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class SettingsApi {
  private readonly http = inject(HttpClient);

  get(): Observable<SettingsView> {
    return this.http.get<SettingsView>('/api/settings');
  }

  save(draft: SettingsDraft): Observable<SettingsView> {
    return this.http.put<SettingsView>('/api/settings', draft);
  }

  /** The picture above every message; null takes it away. */
  setLogo(file: File | null): Observable<SettingsView> {
    return file
      ? this.http.put<SettingsView>('/api/settings/logo', file, {
          params: { name: file.name },
          headers: { 'content-type': 'application/octet-stream' },
        })
      : this.http.delete<SettingsView>('/api/settings/logo');
  }

  mailbox(): Observable<MailboxView | null> {
    return this.http.get<MailboxView | null>('/api/mailbox');
  }

  /** What lies there was looked at. */
  seeLeft(): Observable<MailboxView | null> {
    return this.http.post<MailboxView | null>('/api/mailbox/seen', {});
  }

  testMail(to: string): Observable<TestMailResult> {
    return this.http.post<TestMailResult>('/api/settings/test-mail', { to });
  }
}
