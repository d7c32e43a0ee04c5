import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { SecondFactorSection } from './second-factor.section.ts';
import { SessionStore } from './session.store.ts';

/** One's own account: the password, and where one is signed in. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, SecondFactorSection],
  templateUrl: './account.page.html',
  styles: `
    form { max-width: 380px; }
  `,
})
export class AccountPage {
  private readonly api = inject(AccountsApi);
  protected readonly session = inject(SessionStore);
  protected readonly sessions = load(of(true), () => this.api.sessions());
  protected readonly told = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected current = '';
  protected password = '';

  protected change(): void {
    this.told.set(null);
    this.problem.set(null);
    this.isBusy.set(true);
    this.api.changePassword(this.current, this.password).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.current = this.password = '';
        this.told.set('Your password is another one now; everywhere else you are signed out.');
        this.sessions.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected end(id: string): void {
    this.problem.set(null);
    this.api.endSession(id).subscribe({
      next: () => this.sessions.reload(),
      error: (error: unknown) => {
        this.problem.set(sentenceOf(error));
        this.sessions.reload();
      },
    });
  }
}
