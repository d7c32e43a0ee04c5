import { ChangeDetectionStrategy, Component, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PersonChange } from '@nudrik/contract';
import { catchError, of, type Observable } from 'rxjs';
import { SaidPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';

/** What the roster knows of a person; `id` null is somebody new. */
export type PersonDraft = { id: string | null } & {
  [K in 'name' | 'email' | 'personnelNumber' | 'department' | 'siteId' | 'job' | 'joinedOn' | 'leftOn']: string;
};
export const NOBODY: PersonDraft = { id: null, name: '', email: '', personnelNumber: '', department: '', siteId: '', job: '', joinedOn: '', leftOn: '' }; // prettier-ignore

/** Enters or corrects a person by hand. */
@Component({
  selector: 'nk-person-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SaidPipe],
  template: `
    @let d = person();
    <form class="mend" (submit)="$event.preventDefault(); save()" [attr.aria-label]="d.id ? 'Edit ' + d.name : 'Add a person'">
      <div class="two">
        <label class="field"><span>Name</span><input class="input" name="name" [ngModel]="d.name" (ngModelChange)="set({ name: $event })" required /></label>
        <label class="field"><span>E-mail</span><input class="input" type="email" name="mail" [ngModel]="d.email" (ngModelChange)="set({ email: $event })" required /></label>
        <label class="field"><span>Department</span><input class="input" name="department" list="departments" [ngModel]="d.department" (ngModelChange)="set({ department: $event })" required /></label>
        <label class="field"><span>Site</span>
          <select class="input" name="site" [ngModel]="d.siteId" (ngModelChange)="set({ siteId: $event })">
            <option value="" disabled>choose a site</option>
            @for (site of facets()?.sites; track site.id) {
              <option [value]="site.id">{{ site.name }}</option>
            }
          </select>
        </label>
        <label class="field"><span>Job title</span><input class="input" name="job" [ngModel]="d.job" (ngModelChange)="set({ job: $event })" /></label>
        <label class="field"><span>Personnel number</span><input class="input" name="number" [ngModel]="d.personnelNumber" (ngModelChange)="set({ personnelNumber: $event })" /></label>
        <label class="field"><span>Joined on <span class="said">{{ d.joinedOn | said }}</span></span><input class="input" type="date" name="joined" [ngModel]="d.joinedOn" (ngModelChange)="set({ joinedOn: $event })" /></label>
        <label class="field"><span>Left on, first day away <span class="said">{{ d.leftOn | said }}</span></span><input class="input" type="date" name="leftOn" [ngModel]="d.leftOn" (ngModelChange)="set({ leftOn: $event })" /></label>
      </div>
      <datalist id="departments">
        @for (department of facets()?.departments; track department.name) {
          <option [value]="department.name"></option>
        }
      </datalist>
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
  protected readonly problem = signal<string | null>(null);

  protected set(change: Partial<PersonDraft>): void {
    this.person.update((person) => ({ ...person, ...change }));
  }

  protected save(): void {
    const { id, name, email, personnelNumber, department, siteId, job, joinedOn, leftOn } = this.person();
    const change: PersonChange = { name, email: email.trim(), department, siteId, personnelNumber: personnelNumber.trim() || null, job: job.trim() || null, joinedOn: joinedOn || null, leftOn: leftOn || null };
    if (!siteId) delete change.siteId;
    this.problem.set(null);
    const request: Observable<{ id: string } | unknown> = id === null ? this.api.add(change) : this.api.change(id, change);
    request.subscribe({
      next: (answer) => this.saved.emit(id ?? (answer as { id: string }).id),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  } // prettier-ignore
}
