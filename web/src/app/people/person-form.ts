import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { PersonChange } from '@nudrik/contract';
import { allLanguages } from '@nudrik/core';
import { catchError, of, type Observable } from 'rxjs';
import { DateField } from '../shared/pick/date-field.ts';
import { SelectField } from '../shared/pick/select.ts';
import { SuggestField } from '../shared/pick/suggest-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { PeopleApi } from './people.api.ts';

/** What the roster knows of a person; `id` null is somebody new. */
export type PersonDraft = { id: string | null } & {
  [K in 'name' | 'email' | 'personnelNumber' | 'department' | 'siteId' | 'job' | 'language' | 'chatName' | 'joinedOn' | 'leftOn']: string;
};
export const NOBODY: PersonDraft = {
  id: null,
  name: '',
  email: '',
  personnelNumber: '',
  department: '',
  siteId: '',
  job: '',
  language: '',
  chatName: '',
  joinedOn: '',
  leftOn: '',
};

/** Enters or corrects a person by hand. */
@Component({
  selector: 'nk-person-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, DateField, SelectField, SuggestField],
  templateUrl: './person-form.html',
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
  protected readonly languages = [
    { value: '', label: 'as the house writes' },
    ...allLanguages().map(({ tag, name }) => ({ value: tag, label: name })),
  ];
  protected readonly problem = signal<string | null>(null);

  protected set(change: Partial<PersonDraft>): void {
    this.person.update((person) => ({ ...person, ...change }));
  }

  protected save(): void {
    const { id, name, email, personnelNumber, department, siteId, job, language, chatName, joinedOn, leftOn } = this.person();
    const change: PersonChange = {
      name,
      email: email.trim(),
      department,
      siteId,
      personnelNumber: personnelNumber.trim() || null,
      job: job.trim() || null,
      language: language || null,
      chatName: chatName.trim() || null,
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
