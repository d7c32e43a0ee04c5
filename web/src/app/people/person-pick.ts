import { ChangeDetectionStrategy, Component, inject, input, output, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import type { PersonRow } from '@nudrik/contract';
import { debounceTime, Subject, switchMap } from 'rxjs';
import { PeopleApi } from './people.api.ts';

/** Finds a person while somebody types. */
@Component({
  selector: 'nk-person-pick',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <input class="input" #who (input)="search(who.value)" [placeholder]="placeholder()" [attr.aria-label]="label()" autocomplete="off" />
    @if (hits().length) {
      <div class="hits">
        @for (hit of hits(); track hit.id) {
          <button type="button" (click)="pick(hit); who.value = ''">{{ hit.name }} <span class="quiet">{{ hit.job ?? '' }}{{ hit.job ? ', ' : '' }}{{ hit.department }}, {{ hit.site }}</span></button>
        }
      </div>
    }
  `,
  styles: `
    :host { display: block; position: relative; }
    .hits { border: 1px solid var(--rule-strong); background: var(--sheet); max-height: 190px; overflow: auto; }
    .hits button { display: block; width: 100%; text-align: left; border: 0; background: none; padding: 5px 9px; cursor: pointer; }
    .hits button:hover, .hits button:focus-visible { background: var(--plum-wash); }
  `,
})
export class PersonPick {
  private readonly api = inject(PeopleApi);
  readonly placeholder = input('type a name');
  readonly label = input('Find a person');
  /** somebody who cannot be chosen */
  readonly except = input<string | null>(null);
  readonly picked = output<PersonRow>();
  protected readonly hits = signal<PersonRow[]>([]);
  private readonly typed = new Subject<string>();

  constructor() {
    this.typed
      .pipe(
        debounceTime(150),
        switchMap((find) => this.api.list({ find, size: 8 })),
        takeUntilDestroyed(),
      )
      .subscribe((page) => this.hits.set(page.rows.filter(({ id }) => id !== this.except())));
  }

  protected search(text: string): void {
    if (text.trim().length > 1) this.typed.next(text.trim());
    else this.hits.set([]);
  }

  protected pick(hit: PersonRow): void {
    this.hits.set([]);
    this.picked.emit(hit);
  }
}
