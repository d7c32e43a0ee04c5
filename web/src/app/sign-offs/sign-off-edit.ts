import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import type { SignOffSheet } from '@nudrik/core';
import { catchError, map, of } from 'rxjs';
import type { Named } from '../people/named.ts';
import { PeoplePick } from '../people/people-pick.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { StructureApi } from '../structure/structure.api.ts';

let last = 0;

/** What a supervisor looks at: the guide, the criteria, and who may sign off for whom. */
@Component({
  selector: 'nk-sign-off-edit',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, PeoplePick, SelectField],
  template: `
    @let it = sheet();
    <label class="field"><span>What is to be shown, and how; the employee reads it before</span><textarea class="input" rows="3" maxlength="4000" [ngModel]="it.guide" (ngModelChange)="set({ guide: $event })" [disabled]="isOff()"></textarea></label>
    <span class="label">{{ isSession() ? 'What is looked at there; nothing, where it is enough to be there' : 'Criteria; Enter begins the next' }}</span>
    <ol>
      @for (criterion of it.criteria; track criterion.id; let i = $index) {
        <li>
          <input class="input" [id]="'criterion-' + criterion.id" maxlength="300" [attr.aria-label]="'Criterion ' + (i + 1)" [ngModel]="criterion.words" (ngModelChange)="change(i, { words: $event })" (keydown.enter)="add(i); $event.preventDefault()" [disabled]="isOff()" />
          <label><input type="checkbox" [checked]="criterion.isNeeded" (change)="change(i, { isNeeded: !criterion.isNeeded })" [attr.aria-label]="'Criterion ' + (i + 1) + ' is needed'" [disabled]="isOff()" /> needed</label>
          @if (!isOff() && (isSession() || it.criteria.length > 1)) {<button type="button" class="link" (click)="remove(i)" [attr.aria-label]="'Take out criterion ' + (i + 1)">×</button>}
        </li>
      }
    </ol>
    @if (!isOff()) {<p><button type="button" class="link" (click)="add(it.criteria.length - 1)">Add a criterion</button></p>}
    <fieldset>
      <legend>{{ isSession() ? 'Who records who came, beside whoever leads it' : 'Who may sign it off' }}</legend>
      <label><input type="checkbox" [checked]="it.signers.managers" (change)="signers({ managers: !it.signers.managers })" [disabled]="isOff()" /> the employee’s manager, and whoever is above</label>
      <label><input type="checkbox" [checked]="it.signers.trainers" (change)="signers({ trainers: !it.signers.trainers })" [disabled]="isOff()" /> the owner of the course, and who assists</label>
      <div class="line"><span>for everybody</span><nk-people-pick label="Who may sign off for everybody" placeholder="nobody more; type a name" [people]="people()" [most]="200" [isOff]="isOff()" (added)="name($event)" (taken)="signers({ people: without(it.signers.people, $event.id) })" /></div>
      @for (one of it.signers.sites; track one.site; let i = $index) {
        <div class="line"><span>at {{ siteName(one.site) }}</span><nk-people-pick [label]="'Who may sign off at ' + siteName(one.site)" [people]="named(one.people)" [most]="50" [isOff]="isOff()" (added)="nameAt(i, $event)" (taken)="site(i, without(one.people, $event.id))" />
          @if (!isOff()) {<button type="button" class="link" (click)="dropSite(i)" [attr.aria-label]="'Take out ' + siteName(one.site)">×</button>}</div>
      }
      @if (!isOff() && freeSites().length) {<nk-select label="Name people for a site" placeholder="Name people for a site …" [options]="freeSites()" [isAct]="true" [ngModel]="null" (ngModelChange)="addSite($event)" />}
      <p class="quiet">Nobody signs off for themself.</p>
    </fieldset>
    <label><input type="checkbox" [checked]="it.asksPlace" (change)="set({ asksPlace: !it.asksPlace })" [disabled]="isOff()" /> ask where it took place</label>
    <label><input type="checkbox" [checked]="it.withQuizzes" (change)="set({ withQuizzes: !it.withQuizzes })" [disabled]="isOff()" /> the record shows what they reached in the quizzes</label>
    <label><input type="checkbox" [checked]="it.withSurveys" (change)="set({ withSurveys: !it.withSurveys })" [disabled]="isOff()" /> the record shows what they answered in surveys with their name</label>
  `,
  styles: `
    :host { display: block; }
    ol { margin: 0; padding: 0; list-style: none; }
    li { display: flex; gap: 10px; align-items: center; margin: 4px 0; white-space: nowrap; }
    li .input { flex: 1; }
    .link { text-decoration: none; }
    p .link { text-decoration: underline; }
    fieldset { border: 0; border-top: 1px solid var(--rule); margin: 12px 0; padding: 6px 0 0; min-width: 0; }
    legend { padding: 0 8px 0 0; font-family: var(--head); font-weight: 600; }
    fieldset > label { display: block; margin: 3px 0; }
    :host > label { display: block; margin: 3px 0; }
    input[type='checkbox'] { vertical-align: -2px; }
    .line { display: flex; gap: 10px; align-items: center; margin: 6px 0; }
    .line > span { white-space: nowrap; }
    nk-people-pick { flex: 1; }
  `,
})
export class SignOffEdit {
  readonly sheet = input.required<SignOffSheet>();
  readonly isOff = input(false);
  /** of a session it is enough to be there */
  readonly isSession = input(false);
  /** what people are called, by their ids */
  readonly nameOf = input.required<(id: string) => Named>();
  readonly changed = output<SignOffSheet>();
  /** somebody was named who was not known before */
  readonly known = output<Named>();
  private readonly sites = toSignal(inject(StructureApi).structure().pipe(map(({ sites }) => sites), catchError(() => of([]))), { initialValue: [] }); // prettier-ignore
  protected readonly people = computed(() => this.named(this.sheet().signers.people));
  protected readonly freeSites = computed((): Choice[] => {
    const taken = new Set(this.sheet().signers.sites.map(({ site }) => site));
    return this.sites()
      .filter(({ id }) => !taken.has(id))
      .map(({ id, name }) => ({ value: id, label: name }));
  });

  protected named(ids: readonly string[]): Named[] {
    return ids.map(this.nameOf());
  }

  protected siteName(id: string): string {
    return this.sites().find((site) => site.id === id)?.name ?? 'a site';
  }

  protected without(list: readonly string[], id: string): string[] {
    return list.filter((one) => one !== id);
  }

  protected set(change: Partial<SignOffSheet>): void {
    this.changed.emit({ ...this.sheet(), ...change });
  }

  protected signers(change: Partial<SignOffSheet['signers']>): void {
    this.set({ signers: { ...this.sheet().signers, ...change } });
  }

  protected name(person: Named): void {
    this.known.emit(person);
    this.signers({ people: [...this.sheet().signers.people, person.id] });
  }

  protected nameAt(i: number, person: Named): void {
    this.known.emit(person);
    this.site(i, [...this.sheet().signers.sites[i]!.people, person.id]);
  }

  protected site(i: number, people: string[]): void {
    this.signers({ sites: this.sheet().signers.sites.map((one, n) => (n === i ? { ...one, people } : one)) });
  }

  protected addSite(site: string | null): void {
    if (site) this.signers({ sites: [...this.sheet().signers.sites, { site, people: [] }] });
  }

  protected dropSite(i: number): void {
    this.signers({ sites: this.sheet().signers.sites.filter((_, n) => n !== i) });
  }

  protected change(i: number, change: Partial<SignOffSheet['criteria'][number]>): void {
    this.set({ criteria: this.sheet().criteria.map((one, n) => (n === i ? { ...one, ...change } : one)) });
  }

  protected add(after: number): void {
    const id = `c${Date.now().toString(36)}${(++last).toString(36)}`;
    const { criteria } = this.sheet();
    this.set({ criteria: [...criteria.slice(0, after + 1), { id, words: '', isNeeded: true }, ...criteria.slice(after + 1)] });
    setTimeout(() => document.getElementById(`criterion-${id}`)?.focus());
  }

  protected remove(i: number): void {
    this.set({ criteria: this.sheet().criteria.filter((_, n) => n !== i) });
  }
}
