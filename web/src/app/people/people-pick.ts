import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import type { Named } from './named.ts';
import { PersonPick } from './person-pick.ts';

/** Several people of the roster, by name: found while somebody types, and taken out again. */
@Component({
  selector: 'nk-people-pick',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [PersonPick],
  template: `
    @for (person of people(); track person.id) {
      <span class="one">{{ person.name }} @if (!isOff()) {<button type="button" class="link" (click)="taken.emit(person)" [attr.aria-label]="'Take out ' + person.name">×</button>}</span>
    }
    @if (!isOff() && people().length < most()) {<nk-person-pick [label]="label()" [placeholder]="placeholder()" (picked)="put($event)" />}
  `,
  styles: `
    :host { display: flex; flex-wrap: wrap; gap: 4px 8px; align-items: center; }
    .one { display: inline-flex; gap: 5px; align-items: baseline; border: 1px solid var(--rule-strong); border-radius: 2px; padding: 1px 7px; background: var(--sheet); white-space: nowrap; }
    .one .link { text-decoration: none; }
    nk-person-pick { flex: 1; min-width: 120px; }
  `,
})
export class PeoplePick {
  readonly people = input.required<readonly Named[]>();
  readonly label = input('Add a person');
  readonly placeholder = input('type a name');
  readonly isOff = input(false);
  readonly most = input(20);
  readonly added = output<Named>();
  readonly taken = output<Named>();

  protected put({ id, name }: Named): void {
    if (!this.people().some((person) => person.id === id)) this.added.emit({ id, name });
  }
}
