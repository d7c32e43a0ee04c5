import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import { SessionStore } from '../access/session.store.ts';
import { Letter } from '../messages/letter.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { NoticesApi } from './notices.api.ts';

/** What somebody sent to themselves to see how it reads: beside the ledger, and in none of its figures. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, Letter, MomentPipe],
  templateUrl: './test-letters.page.html',
  styles: `.when { width: 118px; }`,
})
export class TestLettersPage {
  private readonly api = inject(NoticesApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly test = input<string>();
  readonly after = input<string>();
  readonly from = input<string>();
  readonly to = input<string>();
  readonly course = input<string>();
  protected readonly isNarrowed = computed(() => Boolean(this.from() ?? this.course()));
  private readonly query = computed(() => ({ after: this.after(), from: this.from(), to: this.to(), course: this.course() }));
  protected readonly list = load(toObservable(this.query), (query) => this.api.tests(query));
  protected readonly letter = load(toObservable(this.test), (id) => this.api.test(id));

  protected open(id: string): void {
    void this.router.navigate(['/ledger/tests', id], { queryParamsHandling: 'merge' });
  }

  protected close(): void {
    void this.router.navigate(['/ledger/tests'], { queryParamsHandling: 'merge' });
  }
}
