import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PersonChange } from '@nudrik/contract';
import { catchError, of, type Observable } from 'rxjs';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField } from '../shared/pick/select.ts';
import { SuggestField } from '../shared/pick/suggest-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';

/** What the roster knows of a person; `id` null is somebody new. */
export type PersonDraft = { id: string | null } & {
  [K in 'name' | 'email' | 'personnelNumber' | 'department' | 'siteId' | 'job' | 'joinedOn' | 'leftOn']: string;
};
export const NOBODY: PersonDraft = {
  id: null,
  name: '',
  email: '',
  personnelNumber: '',
  department: '',
  siteId: '',
  job: '',
  joinedOn: '',
  leftOn: '',
};

/** Enters or corrects a person by hand. */
@Component({
  selector: 'nk-person-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, SelectField, SuggestField],
  template: `
    @let d = person();
    <form class="mend" (submit)="$event.preventDefault(); save()" [attr.aria-label]="d.id ? 'Edit ' + d.name : 'Add a person'">
      <div class="two">
        <label class="field"><span>Name</span><input class="input" name="name" [ngModel]="d.name" (ngModelChange)="set({ name: $event })" required /></label>
        <label class="field"><span>E-mail</span><input class="input" type="email" name="mail" [ngModel]="d.email" (ngModelChange)="set({ email: $event })" required /></label>
        <div class="field"><span>Department</span><nk-suggest label="Department" name="department" [options]="departments()" [ngModel]="d.department" (ngModelChange)="set({ department: $event })" /></div>
        <div class="field"><span>Site</span><nk-select class="wide" label="Site" placeholder="choose a site" name="site" [options]="sites()" [ngModel]="d.siteId" (ngModelChange)="set({ siteId: $event })" /></div>
        <label class="field"><span>Job title</span><input class="input" name="job" [ngModel]="d.job" (ngModelChange)="set({ job: $event })" /></label>
        <label class="field"><span>Personnel number</span><input class="input" name="number" [ngModel]="d.personnelNumber" (ngModelChange)="set({ personnelNumber: $event })" /></label>
        <div class="field"><span>Joined on</span><nk-date class="wide" label="Joined on" leaning="back" name="joined" [site]="d.siteId || null" [ngModel]="d.joinedOn" (ngModelChange)="set({ joinedOn: $event })" /></div>
        <div class="field"><span>Left on, first day away</span><nk-date class="wide" label="Left on, first day away" name="leftOn" [site]="d.siteId || null" [ngModel]="d.leftOn" (ngModelChange)="set({ leftOn: $event })" /></div>
      </div>
      @if (problem()) {
        <p class="refusal" role="alert">{{ problem() }}</p>
      }
      <div class="gap"><button class="button filled">{{ d.id ? 'Save' : 'Add to the roster' }}</button><button type="button" class="link" (click)="left.emit()">Leave it</button></div>
    </form>
  `,
  styles: `
    .mend { margin: 12px 0; padding: 12px; border: 1px solid var(--rule); background: var(--sheet); }
    .two { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); gap: 0 12px; }
  `,
})
export class PersonForm {
  private readonly api = inject(PeopleApi);
  readonly draft = input.required<PersonDraft>();
  readonly saved = output<string>();
  readonly left = output<void>();
  protected readonly person = linkedSignal(() => this.draft());
  protected readonly facets = toSignal(this.api.facets().pipe(catchError(() => of(null))), { initialValue: null });
  protected readonly departments = computed(() => (this.facets()?.departments ?? []).map(({ name }) => name));
  protected readonly sites = computed(() => (this.facets()?.sites ?? []).map(({ id, name }) => ({ value: id, label: name })));
  protected readonly problem = signal<string | null>(null);

  protected set(change: Partial<PersonDraft>): void {
    this.person.update((person) => ({ ...person, ...change }));
  }

  protected save(): void {
    const { id, name, email, personnelNumber, department, siteId, job, joinedOn, leftOn } = this.person();
    const change: PersonChange = {
      name,
      email: email.trim(),
      department,
      siteId,
      personnelNumber: personnelNumber.trim() || null,
      job: job.trim() || null,
      joinedOn: joinedOn || null,
      leftOn: leftOn || null,
    };
    if (!siteId) delete change.siteId;
    this.problem.set(null);
    const request: Observable<{ id: string } | unknown> = id === null ? this.api.add(change) : this.api.change(id, change);
    request.subscribe({
      next: (answer) => this.saved.emit(id ?? (answer as { id: string }).id),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
