import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { SessionChangeForeseen, SessionDraft, SessionsView } from '@nudrik/contract';
import { dateOf, OUTCOME_WORDS, tellAmount, Zone } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { CourseStore } from '../courses/course.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe, zoneWords } from '../shared/moment.pipe.ts';
import { SelectField, type Choice } from '../shared/pick/select.ts';
import { isClash, sentenceOf } from '../shared/refusal.ts';
import { SignOffsApi } from '../sign-offs/sign-offs.api.ts';
import { tellSessionChoice } from './choice.ts';
import { SessionForeseenList } from './foreseen.ts';
import { SessionForm } from './session-form.ts';
import { SessionsApi } from './sessions.api.ts';

/** The dates of a unit: when and where, who has a seat, who waits for one, who has none, who was there. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MomentPipe, RouterLink, SelectField, SessionForeseenList, SessionForm],
  templateUrl: './sessions.tab.html',
  styles: `
    .top { display: flex; gap: 14px; align-items: baseline; flex-wrap: wrap; margin-bottom: 6px; }
    .grow { flex: 1; }
    section { margin-top: 20px; }
    .session { border-top: 2px solid var(--rule-strong); padding-top: 8px; }
    .over h3 { text-decoration: line-through; }
    .address { width: 340px; }
    .acts button + button { margin-left: 12px; }
    .seats { table-layout: fixed; }
    nk-select { display: inline-block; width: 260px; }
  `,
})
export class SessionsTab {
  private readonly api = inject(SessionsApi);
  private readonly signOffs = inject(SignOffsApi);
  private readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  readonly unit = input.required<string>();
  private readonly asked = computed(() => ({ course: this.store.id() ?? '0', unit: this.unit() }));
  protected readonly view = load(toObservable(this.asked), ({ course, unit }) => this.api.list(course, unit), ['sessions', 'sign-offs', 'assignments']); // prettier-ignore
  protected readonly words = OUTCOME_WORDS;
  protected readonly amount = tellAmount;
  protected readonly zoneWords = zoneWords;
  protected readonly isMaking = signal(false);
  protected readonly acting = signal<{ id: string; what: 'move' | 'cancel' } | null>(null);
  protected readonly foreseen = signal<SessionChangeForeseen | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly problem = signal<{ words: string; again: (() => void) | null } | null>(null);
  protected why = '';
  protected readonly ahead = computed((): Choice[] => {
    const data = this.view.data();
    if (!data) return [];
    return data.sessions.filter((one) => !one.cancelled && !this.isPast(data, one)).map(tellSessionChoice);
  });

  /** A new one begins as the last one was, a week from now; the first one in the morning. */
  protected readonly fresh = computed((): SessionDraft | null => {
    const data = this.view.data();
    if (!data) return null;
    const last = data.sessions.filter(({ cancelled }) => !cancelled).at(-1)?.draft;
    const on = dateOf(Zone.of(this.session.zone()).dayAt(Date.parse(data.now)) + 7);
    return last
      ? { ...last, on, endsOn: on }
      : {
          title: data.unit.title,
          on,
          starts: '09:00',
          endsOn: on,
          ends: '11:00',
          site: '',
          place: null,
          link: null,
          seats: 12,
          trainerId: null,
        };
  });
  protected readonly made = signal<{ id: string; url: string; until: string } | null>(null);

  /** The way in for whoever leads a session and has no account: until two weeks after it. */
  protected link({ id, trainer, endsAt }: SessionsView['sessions'][number]): void {
    const days = Math.max(14, Math.ceil((Date.parse(endsAt) - Date.parse(this.view.data()!.now)) / 86_400_000) + 14);
    this.signOffs.makeLink(this.store.id()!, this.unit(), { personId: trainer!.id, days: Math.min(365, days), endsAfterUse: false, session: id }).subscribe({
      next: ({ url, until }) => this.made.set({ id, url, until }),
      error: (error: unknown) => this.failed(error, null),
    }); // prettier-ignore
  }

  protected isPast({ now }: SessionsView, { startsAt }: { startsAt: string }): boolean {
    return startsAt <= now;
  }

  protected done(words: string): void {
    this.problem.set(null);
    this.told.set(words);
    this.view.reload();
  }

  protected act(id: string, what: 'move' | 'cancel'): void {
    const isOpen = this.acting()?.id === id && this.acting()?.what === what;
    this.acting.set(isOpen ? null : { id, what });
    this.why = '';
    this.foreseen.set(null);
    if (!isOpen && what === 'cancel')
      this.api.foreseeCancel(id).subscribe({ next: (seen) => this.foreseen.set(seen), error: (error: unknown) => this.failed(error, null) }); // prettier-ignore
  }

  protected cancel(id: string): void {
    this.api.cancel(id, this.why.trim() || null).subscribe({
      next: ({ words }) => {
        this.acting.set(null);
        this.done(words);
      },
      error: (error: unknown) => this.failed(error, null),
    });
  }

  protected seat(id: string, assignmentId: string, anyway = false): void {
    this.api.seat(id, assignmentId, anyway).subscribe({
      next: ({ words }) => this.done(words),
      error: (error: unknown) => this.failed(error, () => this.seat(id, assignmentId, true)),
    });
  }

  protected giveUp(id: string, assignmentId: string): void {
    this.api.giveUp(id, assignmentId).subscribe({ next: ({ words }) => this.done(words), error: (error: unknown) => this.failed(error, null) }); // prettier-ignore
  }

  private failed(error: unknown, again: (() => void) | null): void {
    this.told.set(null);
    this.problem.set({ words: sentenceOf(error), again: isClash(error) ? again : null });
  }
}
