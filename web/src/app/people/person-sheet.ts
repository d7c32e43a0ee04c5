import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { ActivatedRoute, RouterLink } from '@angular/router';
import type { AssignmentLine, PersonRow } from '@nudrik/contract';
import { debounceTime, forkJoin, Subject, switchMap } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { AssignmentActs } from '../assignments/assignment-acts.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { load } from '../shared/loaded.ts';
import { DayPipe, MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { Outcome } from '../shared/outcome.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { State } from '../shared/state.ts';
import { PeopleApi } from './people.api.ts';

/** One person: who they are, what they have to finish, and every notice with what became of it. */
@Component({
  selector: 'nk-person-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, DayPipe, MomentPipe, KindMark, Outcome, State, AssignmentActs],
  templateUrl: './person-sheet.html',
  styles: `
    .head { display: flex; justify-content: space-between; align-items: start; gap: 12px; }
    .mend { margin: 12px 0; padding: 12px; border: 1px solid var(--rule); }
    .course { padding: 8px 0; border-bottom: 1px solid var(--rule); }
    .top { display: flex; justify-content: space-between; gap: 10px; }
    .hits { border: 1px solid var(--rule); max-height: 180px; overflow: auto; }
    .hits button { display: block; width: 100%; text-align: left; border: 0; background: none; padding: 5px 9px; cursor: pointer; }
    .hits button:hover { background: var(--plum-wash); }
    section > h2 { display: flex; justify-content: space-between; align-items: baseline; }
    .when { width: 124px; }
    .mark { width: 28px; }
    .small { font-size: 12.5px; }
  `,
})
export class PersonSheetPart {
  private readonly api = inject(PeopleApi);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  readonly closed = output<void>();
  protected readonly sheet = load(toObservable(this.id), (id) => forkJoin({ person: this.api.person(id), notices: this.api.notices(id) }), [
    'people',
    'assignments',
    'notices',
    'clock',
  ]);
  protected readonly mending = signal<'email' | 'manager' | null>(
    inject(ActivatedRoute).snapshot.queryParamMap.get('mend') as 'email' | 'manager' | null,
  );
  protected readonly problem = signal<string | null>(null);
  protected readonly hits = signal<PersonRow[]>([]);
  protected readonly acting = signal<AssignmentLine | null>(null);
  protected readonly isAllShown = signal(false);
  protected email = '';
  protected readonly zoneWords = zoneWords;
  private readonly typed = new Subject<string>();
  protected readonly notices = computed(() => {
    const rows = [...(this.sheet.data()?.notices.rows ?? [])].reverse();
    return this.isAllShown() ? rows : rows.slice(0, 14);
  });

  constructor() {
    this.typed.pipe(debounceTime(150), switchMap((find) => this.api.list({ find, size: 8 }))).subscribe((page) => this.hits.set(page.rows.filter(({ id }) => id !== this.id()))); // prettier-ignore
  }

  protected search(text: string): void {
    if (text.trim().length > 1) this.typed.next(text.trim());
  }

  protected mendEmail(): void {
    this.save({ email: this.email.trim() });
  }

  protected setManager(id: string): void {
    this.save({ managerId: id });
  }

  private save(change: { email?: string; managerId?: string }): void {
    this.problem.set(null);
    this.api.change(this.id(), change).subscribe({
      next: () => {
        this.mending.set(null);
        this.sheet.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }
}
