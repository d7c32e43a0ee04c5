import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { namedPerson, roleOfPerson } from '@nudrik/core';
import type { Named } from './named.ts';
import { PeoplePick } from './people-pick.ts';

export const isAddress = (role: string): boolean => /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(role);

/** Who is written to: roles to tick, people by name, and mail addresses. */
@Component({
  selector: 'nk-roles-pick',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, PeoplePick],
  template: `
    @for (one of offer(); track one.role) {
      <label class="pair"><input type="checkbox" [checked]="roles().includes(one.role)" (change)="set(one.role, !roles().includes(one.role))" [disabled]="isOff()" /> {{ one.words }}</label>
    }
    <nk-people-pick class="named" [label]="pickLabel()" placeholder="and …" [people]="named()" [isOff]="isOff()" (added)="person($event, true)" (taken)="person($event, false)" />
    <label class="pair">and <input class="input" [ngModel]="addresses()" [ngModelOptions]="{ updateOn: 'blur' }" (ngModelChange)="setAddresses($event)" placeholder="mail addresses" [disabled]="isOff()" /></label>
    @if (wrong(); as words) {<p class="refusal" role="alert">{{ words }}</p>}
  `,
  styles: `
    :host { display: flex; flex-wrap: wrap; gap: 6px 14px; align-items: center; }
    .pair { display: inline-flex; gap: 6px; align-items: center; white-space: nowrap; }
    .named { min-width: 170px; }
    .input { width: 190px; }
  `,
})
export class RolesPick {
  readonly roles = input.required<readonly string[]>();
  readonly offer = input.required<readonly { role: string; words: string }[]>();
  /** what people are called, by id */
  readonly nameOf = input.required<(id: string) => string>();
  readonly isOff = input(false);
  /** what the field for people by name is called */
  readonly pickLabel = input('Tell somebody');
  readonly changed = output<string[]>();
  /** somebody was named who was not before */
  readonly met = output<Named>();
  protected readonly wrong = signal<string | null>(null);
  protected readonly named = computed(() =>
    this.roles().flatMap((role): Named[] => {
      const id = namedPerson(role);
      return id === null ? [] : [{ id, name: this.nameOf()(id) }];
    }),
  );
  protected readonly addresses = computed(() => this.roles().filter(isAddress).join(', '));

  protected set(role: string, isTold: boolean): void {
    const rest = this.roles().filter((other) => other !== role);
    this.changed.emit(isTold ? [...rest, role] : rest);
  }

  protected person(person: Named, isTold: boolean): void {
    this.met.emit(person);
    this.set(roleOfPerson(person.id), isTold);
  }

  protected setAddresses(text: string): void {
    const typed = text.split(/[,;\s]+/).filter((one) => one !== '');
    const wrong = typed.find((one) => !isAddress(one));
    this.wrong.set(wrong ? `“${wrong}” is no mail address; expected one like name@example.org.` : null);
    this.changed.emit([...this.roles().filter((role) => !isAddress(role)), ...typed.filter(isAddress)]);
  }
}
