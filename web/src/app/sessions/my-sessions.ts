import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { MySessions as Mine } from '@nudrik/contract';
import { catchError, of, type Observable } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { isClash, sentenceOf } from '../shared/refusal.ts';
import { tellSessionChoice } from './choice.ts';
import { SessionsApi } from './sessions.api.ts';

type Person = Mine['people'][number];

/** Sessions to come, and where a manager's people have a seat; nothing where none of them needs one. */
@Component({
  selector: 'nk-my-sessions',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SelectField],
  template: `
    @for (unit of view.data() ?? []; track unit.unit.id) {
      <section [attr.aria-label]="'Seats in ' + unit.unit.title">
        <h2>{{ unit.unit.title }} <span class="quiet">{{ unit.course.title }}</span></h2>
        @if (told()?.unit === unit.unit.id) {<p class="success" role="status">{{ told()!.words }}</p>}
        @if (problem(); as trouble) {
          @if (trouble.unit === unit.unit.id) {<p class="refusal" role="alert">{{ trouble.words }} @if (trouble.again) {<button class="button small" (click)="trouble.again()">Seat them anyway</button>}</p>}
        }
        <table class="list">
          <thead><tr><th>Person</th><th>Session</th><th></th></tr></thead>
          <tbody>
            @for (one of unit.people; track one.assignmentId) {
              <tr>
                <td>{{ one.person.name }}</td>
                <td>@if (one.session) {{{ nameOf(unit, one.session) }}@if (one.state === 'waiting') {<span class="soon">&ngsp;waits for a seat</span>}} @else {<span class="soon">no seat yet</span>}</td>
                <td class="num"><nk-select [label]="'Session of ' + one.person.name" [placeholder]="one.session ? 'Another …' : 'Give a seat in …'" [options]="choices(unit, one)" [isAct]="true" [ngModel]="null" (ngModelChange)="choose(unit, one, $event)" /></td>
              </tr>
            }
          </tbody>
        </table>
      </section>
    }
  `,
  styles: `
    section { margin-top: 22px; }
    h2 span { font-family: var(--text); font-weight: 400; font-size: 14px; }
    nk-select { display: inline-block; width: 280px; text-align: left; }
  `,
})
export class MySessions {
  private readonly api = inject(SessionsApi);
  protected readonly view = load(of(true), () => this.api.mine().pipe(catchError(() => of<Mine[]>([]))), ['sessions', 'assignments']);
  protected readonly told = signal<{ unit: string; words: string } | null>(null);
  protected readonly problem = signal<{ unit: string; words: string; again: (() => void) | null } | null>(null);

  protected nameOf({ sessions }: Mine, id: string): string {
    const found = sessions.find((session) => session.id === id);
    return found ? tellSessionChoice(found).label.replace(/, [^,]*$/, '') : '';
  }

  protected choices({ sessions }: Mine, { session }: Person): Choice[] {
    return [
      ...sessions.filter(({ id }) => id !== session).map(tellSessionChoice),
      ...(session ? [{ value: 'none', label: 'No seat any more' }] : []),
    ];
  }

  protected choose(unit: Mine, person: Person, choice: string | null, anyway = false): void {
    if (!choice) return;
    const asked: Observable<{ words: string }> =
      choice === 'none' ? this.api.giveUp(person.session!, person.assignmentId) : this.api.seat(choice, person.assignmentId, anyway);
    this.problem.set(null);
    asked.subscribe({
      next: ({ words }) => {
        this.told.set({ unit: unit.unit.id, words });
        this.view.reload();
      },
      error: (error: unknown) =>
        this.problem.set({ unit: unit.unit.id, words: sentenceOf(error), again: isClash(error) ? () => this.choose(unit, person, choice, true) : null }),
    }); // prettier-ignore
  }
}
