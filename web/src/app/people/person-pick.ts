import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { PersonRow } from '@nudrik/contract';
import { catchError, of, Subject, switchMap } from 'rxjs';
import { FindField } from '../shared/pick/find-field.ts';
import { PeopleApi } from './people.api.ts';

/** Finds a person of the roster while somebody types; whose name is nearest stands first. */
@Component({
  selector: 'nk-person-pick',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FindField],
  template: `
    <nk-find
      [label]="label()"
      [placeholder]="placeholder()"
      [current]="current()"
      [isOff]="isOff()"
      [hits]="hits()"
      [none]="failed() ? 'The roster could not be read; type again.' : 'Nobody is called that.'"
      (find)="asked.next($event)"
      (picked)="picked.emit($event)"
    />
  `,
  styles: `:host { display: block; }`,
})
export class PersonPick {
  private readonly api = inject(PeopleApi);
  readonly placeholder = input('type a name');
  readonly label = input('Find a person');
  /** the name of who is chosen now, where the field keeps them */
  readonly current = input<string | null>(null);
  readonly isOff = input(false);
  /** somebody who cannot be chosen */
  readonly except = input<string | null>(null);
  readonly picked = output<PersonRow>();
  protected readonly hits = signal<(PersonRow & { words: string })[]>([]);
  protected readonly failed = signal(false);
  protected readonly asked = new Subject<string>();

  constructor() {
    this.asked
      .pipe(
        switchMap((find) => this.api.list({ find: find.trim(), sort: 'fit', size: 12 }).pipe(catchError(() => of(null)))),
        takeUntilDestroyed(),
      )
      .subscribe((page) => {
        this.failed.set(page === null);
        const rows = (page?.rows ?? []).filter(({ id }) => id !== this.except());
        this.hits.set(rows.map((row) => ({ ...row, words: `${row.job ? `${row.job}, ` : ''}${row.department}, ${row.site}` })));
      });
  }
}
