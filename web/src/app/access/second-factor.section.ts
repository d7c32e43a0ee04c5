import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { FactorSetup } from '@nudrik/contract';
import { of, type Observable } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { AccountsApi } from './accounts.api.ts';
import { CodeField } from './code.field.ts';

/** One's own second factor: a code from an app beside the password, and spare codes for a lost phone. */
@Component({
  selector: 'nk-second-factor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, CodeField],
  templateUrl: './second-factor.section.html',
  styles: `
    form { max-width: 380px; }
    .setup { display: flex; gap: 28px; align-items: flex-start; flex-wrap: wrap; margin: 14px 0; }
    .setup img { border: 1px solid var(--rule); background: #fff; width: 222px; height: 222px; }
    .codes { columns: 2; max-width: 360px; margin: 12px 0; padding: 0; list-style: none; font-size: 16px; line-height: 1.9; letter-spacing: 0.06em; }
  `,
})
export class SecondFactorSection {
  private readonly api = inject(AccountsApi);
  protected readonly state = load(of(true), () => this.api.secondFactor());
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly isBusy = signal(false);
  /** the password is asked for, to begin or to switch off */
  protected readonly isAsking = signal(false);
  protected readonly setup = signal<FactorSetup | null>(null);
  /** shown this once */
  protected readonly spareCodes = signal<string[] | null>(null);
  protected password = '';
  protected code = '';

  protected begin(): void {
    this.run(this.api.beginSecondFactor(this.password), (setup) => {
      this.setup.set(setup);
      this.isAsking.set(false);
      this.password = '';
    });
  }

  protected confirm(): void {
    this.run(this.api.confirmSecondFactor(this.code), ({ spareCodes }) => {
      this.code = '';
      this.setup.set(null);
      this.spareCodes.set(spareCodes);
      this.state.reload();
    });
  }

  protected switchOff(): void {
    this.run(this.api.endSecondFactor(this.password), () => {
      this.isAsking.set(false);
      this.password = '';
      this.told.set('Switched off: you enter with the password alone.');
      this.state.reload();
    });
  }

  protected leave(): void {
    this.isAsking.set(false);
    this.setup.set(null);
    this.problem.set(null);
    this.password = this.code = '';
  }

  private run<T>(act: Observable<T>, done: (result: T) => void): void {
    this.problem.set(null);
    this.told.set(null);
    this.isBusy.set(true);
    act.subscribe({
      next: (result) => {
        this.isBusy.set(false);
        done(result);
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
