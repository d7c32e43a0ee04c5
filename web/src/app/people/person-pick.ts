import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PersonRow } from '@nudrik/contract';
import { AutoComplete } from 'primeng/autocomplete';
import { catchError, of, Subject, switchMap } from 'rxjs';
import { PeopleApi } from './people.api.ts';

/** Finds a person while somebody types. Whoever is chosen is told, and stands in the field where it keeps them. */
@Component({
  selector: 'nk-person-pick',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, AutoComplete],
  template: `
    <p-autocomplete
      [ngModel]="shown()"
      (ngModelChange)="text.set($event)"
      [ngModelOptions]="{ standalone: true }"
      [suggestions]="hits()"
      (completeMethod)="find.next($event.query)"
      (onSelect)="pick($event.value)"
      (onBlur)="text.set(null)"
      optionLabel="name"
      [delay]="150"
      [minLength]="2"
      [disabled]="isOff()"
      [placeholder]="placeholder()"
      [ariaLabel]="label()"
      [emptyMessage]="failed() ? 'The roster could not be read; type again.' : 'Nobody is called that.'"
      [autoOptionFocus]="true"
      scrollHeight="260px"
      appendTo="body"
      inputStyleClass="input"
    >
      <ng-template #item let-hit>
        <span>{{ hit.name }} <span class="quiet">{{ hit.job ?? '' }}{{ hit.job ? ', ' : '' }}{{ hit.department }}, {{ hit.site }}</span></span>
      </ng-template>
    </p-autocomplete>
  `,
  styles: `
    :host { display: block; }
    p-autocomplete { width: 100%; }
  `,
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
  protected readonly hits = signal<PersonRow[]>([]);
  protected readonly failed = signal(false);
  /** what is being typed; a row for the moment in which it was chosen */
  protected readonly text = signal<string | PersonRow | null>(null);
  protected readonly shown = (): string | PersonRow => this.text() ?? this.current() ?? '';
  protected readonly find = new Subject<string>();

  constructor() {
    this.find
      .pipe(
        switchMap((find) => this.api.list({ find: find.trim(), sort: 'fit', size: 12 }).pipe(catchError(() => of(null)))),
        takeUntilDestroyed(),
      )
      .subscribe((page) => {
        this.failed.set(page === null);
        this.hits.set((page?.rows ?? []).filter(({ id }) => id !== this.except()));
      });
  }

  protected pick(hit: PersonRow): void {
    this.text.set(null);
    this.picked.emit(hit);
  }
}
