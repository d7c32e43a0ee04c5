import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { debounceTime } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { paramsOf } from '../shared/params.ts';
import { SelectField, wordsOf, type Choice } from '../shared/pick/select.ts';
import { State } from '../shared/state.ts';
import { CertificatesApi } from './certificates.api.ts';

const SIZE = 60;

/** The register: every certificate, whose, for what, until when. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, DayPipe, SelectField, State],
  templateUrl: './certificates.page.html',
})
export class CertificatesPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
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

  protected filter(params: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams: { page: null, ...params }, queryParamsHandling: 'merge' });
  }
}
