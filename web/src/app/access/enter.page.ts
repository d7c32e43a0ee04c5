import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { load } from '../shared/loaded.ts';
import { sentenceOf, wantsCode } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { CodeField } from './code.field.ts';
import { homeOf, SessionStore } from './session.store.ts';

/** Where a link that came by mail leads: it opens once, and only by a press. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CodeField, FormsModule, RouterLink],
  templateUrl: './enter.page.html',
  styleUrl: './sign-in.page.css',
})
export class EnterPage {
  private readonly api = inject(AccountsApi);
  private readonly session = inject(SessionStore);
  private readonly router = inject(Router);
  readonly key = input.required<string>();
  protected readonly view = load(toObservable(this.key), (key) => this.api.look(key));
  protected readonly problem = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  protected password = '';
  protected code = '';
  protected readonly asksCode = signal(false);

  protected enter(password: string | null): void {
    this.problem.set(null);
    this.isBusy.set(true);
    this.api.open(this.key(), password, this.code.trim() || null).subscribe({
      next: (session) => {
        this.session.take(session);
        void this.router.navigateByUrl(homeOf(session.account!.role));
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        const isFirst = wantsCode(error) && !this.asksCode();
        this.asksCode.set(wantsCode(error) || this.asksCode());
        this.problem.set(isFirst ? null : sentenceOf(error));
        this.code = '';
      },
    });
  }
}
