import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { ROLES, type AccountRow, type AccountState, type Role } from '@nudrik/contract';
import { of, type Observable } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { SessionStore } from './session.store.ts';

const MAY: Record<Role, string> = {
  administrator: 'everything',
  trainer: 'writes courses and plans, reads the rest',
  auditor: 'reads everything, changes nothing',
  manager: 'their own people, and extends',
  employee: 'their own courses',
};
const STATES: Record<AccountState, string> = {
  active: '',
  invited: 'invited',
  lapsed: 'the invitation has run out',
  ended: 'ended',
  left: 'has left, so it opens nothing',
};

/** Who may enter, as what; inviting, changing a role, ending an account; and who did that. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, MomentPipe, SelectField],
  templateUrl: './accounts.page.html',
})
export class AccountsPage {
  private readonly api = inject(AccountsApi);
  protected readonly session = inject(SessionStore);
  protected readonly view = load(of(true), () => this.api.list(), ['accounts']);
  protected readonly roles: Choice[] = ROLES.map((role) => ({ value: role, label: role }));
  protected readonly may = MAY;
  protected readonly states = STATES;
  protected readonly isInviting = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly told = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  /** the account whose second factor is asked about */
  protected readonly takingOff = signal<string | null>(null);
  /** the account whose end is asked about */
  protected readonly ending = signal<string | null>(null);
  protected draft: { name: string; email: string; role: Role } = { name: '', email: '', role: 'trainer' };

  protected invite(): void {
    this.run(this.api.invite({ ...this.draft, name: this.draft.name.trim(), email: this.draft.email.trim() }), ({ isSent, words }) => {
      if (isSent) this.isInviting.set(false);
      (isSent ? this.told : this.problem).set(words);
      if (isSent) this.draft = { name: '', email: '', role: 'trainer' };
    });
  }

  protected again({ name, email, role }: AccountRow): void {
    this.run(this.api.invite({ name, email, role }), ({ isSent, words }) => (isSent ? this.told : this.problem).set(words));
  }

  protected setRole(account: AccountRow, role: Role): void {
    if (role === account.role) return;
    this.run(this.api.setRole(account.id, role), () => this.told.set(`${account.name} is ${role} now, from the next click on.`));
  }

  protected end(account: AccountRow): void {
    this.ending.set(null);
    this.run(this.api.end(account.id), () => this.told.set(`The account of ${account.name} has ended; what they did stays on the record.`));
  }

  protected endFactor(account: AccountRow): void {
    this.takingOff.set(null);
    this.run(this.api.endSecondFactorOf(account.id), () =>
      this.told.set(`${account.name} enters with the password alone now, until they set up a second factor again.`),
    );
  }

  private run<T>(act: Observable<T>, done: (result: T) => void): void {
    this.told.set(null);
    this.problem.set(null);
    this.isBusy.set(true);
    act.subscribe({
      next: (result) => {
        this.isBusy.set(false);
        done(result);
        this.view.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
        this.view.reload();
      },
    });
  }
}
