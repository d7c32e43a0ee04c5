import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import type { Session } from '@nudrik/contract';
import { catchError, of } from 'rxjs';
import { sentenceOf, wantsCode } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { CodeField } from './code.field.ts';
import { homeOf, SessionStore } from './session.store.ts';

/** Why somebody who came back from the sign-in service is not let in; … is what it is called. */
const NOT_LET_IN: Record<string, string> = {
  away: 'The sign-in service does not answer just now. Try again in a moment, or sign in with a password.',
  'broken-off': 'Signing in by … was broken off. Begin again here.',
  'no-address': '… tells no address of yours that was checked, so nobody knows here who you are.',
  'no-account': 'You are known to …, and have no account here and no place on the roster. Ask an administrator to invite you.',
  'other-person':
    'Your address belonged to another person when they signed in by … before. An administrator has to end that account first.',
  ended: 'Your account here has ended.',
};

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CodeField, FormsModule],
  templateUrl: './sign-in.page.html',
  styleUrl: './sign-in.page.css',
})
export class SignInPage {
  readonly back = input<string>();
  readonly ended = input<string>();
  /** why the sign-in service's word was not enough */
  readonly elsewhere = input<string>();
  protected readonly session = inject(SessionStore);
  private readonly router = inject(Router);
  protected readonly accounts = toSignal(this.session.demoAccounts().pipe(catchError(() => of([]))), { initialValue: null });
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected readonly linkTold = signal<string | null>(null);
  private readonly links = inject(AccountsApi);
  protected email = '';
  protected password = '';
  protected code = '';
  /** the account has a second factor: its code is asked for */
  protected readonly asksCode = signal(false);
  protected readonly refusedElsewhere = computed(() => {
    const why = this.elsewhere();
    return why === undefined
      ? null
      : (NOT_LET_IN[why] ?? NOT_LET_IN['broken-off']!).replaceAll('…', this.session.current()?.elsewhere ?? 'the sign-in service');
  });
  protected readonly elsewhereAddress = computed(() => {
    const back = this.back();
    const query = new URLSearchParams({
      ...(back?.startsWith('/') && { back }),
      // who was not let in as the one that they are there may be another one too
      ...(this.elsewhere() !== undefined && { as: 'another' }),
    });
    return `/api/session/elsewhere?${query}`;
  });

  protected signIn(): void {
    this.enter(this.session.signIn(this.email.trim(), this.password, this.code.trim() || null));
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
        // the first time it is a question and nothing went wrong
        const isFirst = wantsCode(error) && !this.asksCode();
        this.asksCode.set(wantsCode(error) || this.asksCode());
        this.problem.set(isFirst ? null : sentenceOf(error));
        this.code = '';
      },
    });
  }
}
