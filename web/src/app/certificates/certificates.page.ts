import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { debounceTime } from 'rxjs';
import type { CertificateRow } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { State } from '../shared/state.ts';
import { CertificatesTabs } from './certificates-tabs.ts';
import { CertificatesApi } from './certificates.api.ts';

const SIZE = 60;

/** The register: every certificate, whose, for what, until when. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CertificatesTabs, FormsModule, RouterLink, DayPipe, MomentPipe, SelectField, State],
  templateUrl: './certificates.page.html',
})
export class CertificatesPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly find = input<string>();
  readonly state = input<string>();
  readonly page = input<string>();
  protected readonly states: Choice[] = [{ value: '', label: 'any' }, ...wordsOf(['current', 'expiring', 'expired', 'revoked'])];
  protected readonly size = SIZE;
  protected readonly pageNumber = computed(() => Number(this.page() ?? 0));
  private readonly query = computed(() => paramsOf({ find: this.find(), state: this.state(), page: this.pageNumber(), size: SIZE }));
  protected readonly list = load(toObservable(this.query).pipe(debounceTime(30)), (params) => this.api.list(params), [
    'assignments',
    'clock',
  ]);

  /** the serial that is being revoked */
  protected readonly revoking = signal<string | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected reason = '';

  protected ask(serial: string | null): void {
    this.revoking.set(serial);
    this.reason = '';
    this.problem.set(null);
  }

  protected revoke(row: CertificateRow): void {
    this.api.revoke(row.serial, this.reason.trim()).subscribe({
      next: () => {
        this.ask(null);
        this.told.set(`The certificate of ${row.person.name} for ${row.course.title} is revoked; what it was good for is asked for again.`);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected filter(params: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams: { page: null, ...params }, queryParamsHandling: 'merge' });
  }
}
