import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { SignOffLinkView, SignOffListRow } from '@nudrik/contract';
import { OUTCOME_WORDS, tellAmount } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { CourseStore } from '../courses/course.store.ts';
import type { Named } from '../people/named.ts';
import { PersonPick } from '../people/person-pick.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { SignOffsApi } from './sign-offs.api.ts';

/** What supervisors recorded of a unit: each entry, what came of its messages, and the ways in that are out. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DayPipe, FormsModule, MomentPipe, NumberField, Outcome, PersonPick, RouterLink],
  templateUrl: './sign-offs.tab.html',
  styles: `
    .top { display: flex; gap: 14px; align-items: baseline; }
    .grow { flex: 1; }
    section { margin-top: 20px; }
    .old td { color: var(--quiet); }
    .old td:first-child { text-decoration: line-through; }
    .acts a { margin-left: 12px; }
    .form { max-width: 640px; }
    .form label { display: block; margin: 3px 0; }
    .address { width: 340px; }
    nk-person-pick { width: 220px; }
  `,
})
export class SignOffsTab {
  private readonly api = inject(SignOffsApi);
  private readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  readonly unit = input.required<string>();
  private readonly asked = computed(() => ({ course: this.store.id(), unit: this.unit() }));
  protected readonly list = load(toObservable(this.asked), ({ course, unit }) => (course ? this.api.list(course, unit) : this.api.list('0', unit)), ['sign-offs', 'assignments', 'notices']); // prettier-ignore
  protected readonly words = OUTCOME_WORDS;
  protected readonly amount = tellAmount;
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly person = signal<Named | null>(null);
  protected readonly days = signal<number | null>(14);
  protected readonly endsAfterUse = signal(false);
  protected readonly correcting = signal<string | null>(null);
  protected attended = true;
  protected met: string[] = [];
  protected remarks = '';
  protected reason = '';

  protected metWords({ met }: SignOffListRow): string {
    const criteria = this.list.data()?.criteria ?? [];
    const missed = criteria.filter(({ id }) => !met.includes(id)).map(({ words }) => words);
    return missed.length === 0 ? '' : `not: ${missed.join('; ')}`;
  }

  protected correct(row: SignOffListRow): void {
    this.correcting.set(this.correcting() === row.id ? null : row.id);
    this.attended = row.attended;
    this.met = [...row.met];
    this.remarks = row.remarks ?? '';
    this.reason = '';
    this.problem.set(null);
  }

  protected toggle(id: string): void {
    this.met = this.met.includes(id) ? this.met.filter((one) => one !== id) : [...this.met, id];
  }

  protected save(row: SignOffListRow): void {
    const entry = { assignmentId: row.assignmentId, attended: this.attended, met: this.attended ? this.met : [], remarks: this.remarks.trim() || null, place: row.place, on: row.on }; // prettier-ignore
    this.api.correct(this.store.id()!, this.unit(), row.id, { entry, reason: this.reason.trim() }).subscribe({
      next: ({ words }) => {
        this.correcting.set(null);
        this.told.set(words);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected makeLink(): void {
    this.problem.set(null);
    this.api.makeLink(this.store.id()!, this.unit(), { personId: this.person()!.id, days: this.days() ?? 14, endsAfterUse: this.endsAfterUse(), session: null }).subscribe({
      next: ({ person }) => {
        this.told.set(`The link of ${person.name} is below: hand it on to nobody else.`);
        this.person.set(null);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    }); // prettier-ignore
  }

  protected endLink({ id, person }: SignOffLinkView): void {
    this.api.endLink(this.store.id()!, this.unit(), id).subscribe({
      next: () => {
        this.told.set(`The link of ${person.name} opens nothing any more.`);
        this.list.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected copy(box: HTMLInputElement): void {
    box.select();
    // over plain HTTP a browser keeps its clipboard to itself: what is chosen can still be copied by hand
    void navigator.clipboard?.writeText(box.value);
  }
}
