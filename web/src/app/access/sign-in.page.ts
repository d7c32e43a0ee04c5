import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { Session } from '@nudrik/contract';
import { catchError, of } from 'rxjs';
import { sentenceOf } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { homeOf, SessionStore } from './session.store.ts';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule],
  templateUrl: './sign-in.page.html',
  styleUrl: './sign-in.page.css',
})
export class SignInPage {
  readonly back = input<string>();
  readonly ended = input<string>();
  protected readonly session = inject(SessionStore);
  private readonly router = inject(Router);
  protected readonly accounts = toSignal(this.session.demoAccounts().pipe(catchError(() => of([]))), { initialValue: null });
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly linkTold = signal<string | null>(null);
  private readonly links = inject(AccountsApi);
  protected email = '';
  protected password = '';

  protected signIn(): void {
    this.enter(this.session.signIn(this.email.trim(), this.password));
  }

  /** The answer is the same for everyone: nobody learns here who has an account. */
  protected askForLink(): void {
    const email = this.email.trim();
    if (!email) return this.problem.set('Write your e-mail address above first: the link goes there.');
    this.problem.set(null);
    this.isBusy.set(true);
    this.links.askForLink(email).subscribe({
      next: () => {
        this.isBusy.set(false);
        this.linkTold.set(`If ${email} may enter, a link is on its way there. It opens once, and soon runs out.`);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected signInAs(id: string): void {
    this.enter(this.session.signInAs(id));
  }

  private enter(attempt: ReturnType<SessionStore['signIn']>): void {
    this.problem.set(null);
    this.isBusy.set(true);
    attempt.subscribe({
      next: (session: Session) =>
        void this.router.navigateByUrl(this.back()?.startsWith('/') ? this.back()! : homeOf(session.account!.role)),
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
