import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { DecimalPipe } from '@angular/common';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import type { LiveView, PublishPreview, RequirementPreview } from '@nudrik/contract';
import { concatMap, defer, from, map, of, switchMap, toArray, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { RequirementReview } from '../requirements/requirement-review.ts';
import { RequirementsApi } from '../requirements/requirements.api.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { CoursesApi } from './courses.api.ts';
import { CourseStore } from './course.store.ts';

/** Going live, publishing, retiring: what each of them means before it is done. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, RouterLink, RequirementReview],
  templateUrl: './live.tab.html',
  styleUrl: './live.tab.css',
})
export class LiveTab {
  protected readonly store = inject(CourseStore);
  protected readonly session = inject(SessionStore);
  private readonly api = inject(CoursesApi);
  private readonly requirements = inject(RequirementsApi);
  private readonly router = inject(Router);
  /** somebody came to retire it */
  readonly retire = input<string>();
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly said = signal<string | null>(null);
  protected readonly open = signal<'go-on' | 'withdraw'>('go-on');
  protected readonly reason = signal('');
  private readonly again = signal(0);
  private readonly question = computed(() => ({
    state: this.store.state(),
    id: this.store.id()!,
    hasDraft: this.store.hasDraft(),
    again: this.again(),
  }));
  protected readonly checks = load(toObservable(this.question), ({ state, id }) => (state === 'draft' ? this.kept(() => this.api.live(id)) : of(null)), ['plans', 'requirements', 'people']); // prettier-ignore
  protected readonly publishing = load(toObservable(this.question), ({ state, id, hasDraft }) => (state === 'live' && hasDraft ? this.kept(() => this.api.publishing(id)) : of(null))); // prettier-ignore
  /** what each requirement that waits would do: worked out by what does it */
  protected readonly foreseen = load(
    toObservable(computed(() => this.checks.data()?.requirements ?? null)),
    (list): Observable<{ name: string; preview: RequirementPreview }[]> =>
      from(list).pipe(
        concatMap(({ id, name }) =>
          this.requirements.get(id).pipe(
            switchMap(({ courseId, audience, due, dueTime, graceDays, creditMonths, renewal, from: first, until, takesJoiners, whenOut }) => this.requirements.preview(id, { name, courseId, audience, due, dueTime, graceDays, creditMonths, renewal, from: first, until, takesJoiners, whenOut })), // prettier-ignore
            map((preview) => ({ name, preview })),
          ),
        ),
        toArray(),
      ),
  );
  protected readonly missing = computed(() => this.checks.data()?.checks.filter(({ isMet, isNeeded }) => isNeeded && !isMet).length ?? 0);

  /** What is typed last is kept first. */
  private kept<T>(ask: () => Observable<T>): Observable<T> {
    return defer(() => this.store.settled()).pipe(switchMap(ask));
  }

  protected goLive(view: LiveView): void {
    this.do(this.api.goLive(this.store.id()!, view.version), ({ requirements }) => {
      const assigned = requirements.map(({ name, assigned }) => `“${name}” assigned it to ${assigned}`).join('; ');
      return `It is live.${assigned ? ` ${assigned}.` : ' Nobody is asked for it yet.'}`;
    });
  }

  protected publish(preview: PublishPreview): void {
    this.do(
      this.api.publish(this.store.id()!, preview.version),
      ({ version, finished }) => `Version ${version} is published.${finished ? ` ${finished} finished by it.` : ''}`,
    );
  }

  protected drop(): void {
    this.do(this.store.drop(), () => 'What was written and not published is gone.');
  }

  protected retireNow(): void {
    this.do(this.api.retire(this.store.id()!, { open: this.open(), reason: this.reason().trim() || null }), ({ withdrawn }) => `It is retired.${withdrawn ? ` ${withdrawn} were withdrawn.` : ''}`); // prettier-ignore
  }

  protected takeUp(): void {
    this.do(this.api.takeUp(this.store.id()!), () => 'It is live again; its requirements stay off until somebody switches them on.');
  }

  private do<T>(act: Observable<T>, words: (result: T) => string): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.said.set(null);
    act.subscribe({
      next: (result) => {
        this.isBusy.set(false);
        this.said.set(words(result));
        this.store.reload();
        this.again.update((n) => n + 1);
        void this.router.navigate([], { queryParams: {}, replaceUrl: true });
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
        this.again.update((n) => n + 1);
      },
    });
  }
}
