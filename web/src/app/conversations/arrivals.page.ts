import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Router, RouterLink } from '@angular/router';
import type { ArrivalRow, PersonRow } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { PersonPick } from '../people/person-pick.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { ConversationsApi } from './conversations.api.ts';

/** Mail that came in and answers no message: complaints, automatic answers, and words of people that belong to nothing. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe, PersonPick],
  templateUrl: './arrivals.page.html',
  styles: `
    .when { width: 112px; }
    .said { white-space: pre-wrap; overflow-wrap: anywhere; margin: 2px 0 0; max-height: 180px; overflow-y: auto; }
    .takes { display: flex; gap: 12px; align-items: center; flex-wrap: wrap; margin-top: 8px; }
    .takes nk-person-pick { width: 240px; }
  `,
})
export class ArrivalsPage {
  private readonly api = inject(ConversationsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly show = input<string>();
  readonly after = input<string>();
  private readonly query = computed(() => ({
    show: this.show() === 'all' ? ('all' as const) : ('waiting' as const),
    after: this.after() ?? null,
  }));
  protected readonly list = load(toObservable(this.query), ({ show, after }) => this.api.arrivals(show, after), ['conversations']);
  protected readonly problem = signal<string | null>(null);
  /** of which mail somebody says whose word it is */
  protected readonly asked = signal<string | null>(null);

  protected begin(row: ArrivalRow): void {
    if (row.person) this.take(row, row.person.id);
    else this.asked.set(row.id);
  }

  protected take(row: ArrivalRow, person: PersonRow['id']): void {
    this.problem.set(null);
    this.api.take(row.id, person).subscribe({
      next: ({ id }) => void this.router.navigate(['/replies', id]),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected setAside(row: ArrivalRow): void {
    this.problem.set(null);
    this.api.setAside(row.id).subscribe({
      next: () => this.list.reload(),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
