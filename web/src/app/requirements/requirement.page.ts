import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { tellAmount } from '@nudrik/core';
import type { RequirementPerson, RequirementResult } from '@nudrik/contract';
import { forkJoin, type Observable } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { RequirementsApi } from './requirements.api.ts';

const STANDINGS: readonly { key: RequirementPerson['standing']; words: string; tone: string }[] = [
  { key: 'asks', words: 'no longer in', tone: 'late' },
  { key: 'late', words: 'late', tone: 'late' },
  { key: 'open', words: 'open', tone: '' },
  { key: 'due', words: 'to be assigned', tone: 'soon' },
  { key: 'covered', words: 'covered', tone: 'done' },
  { key: 'joins', words: 'still to join', tone: '' },
  { key: 'begins', words: 'begins later', tone: '' },
  { key: 'not-asked', words: 'not asked', tone: 'soon' },
  { key: 'waived', words: 'waived', tone: 'quiet' },
  { key: 'withdrawn', words: 'withdrawn by hand', tone: 'quiet' },
];
/** People that the page shows at once. */
const SHOWN = 300;

/** One requirement: its rules in sentences, whether it is on, and how it stands to everyone whom it asks. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, FormsModule, RouterLink, MomentPipe],
  templateUrl: './requirement.page.html',
  styles: `
    .rules { max-width: 820px; margin: 0 0 18px; padding: 0; list-style: none; }
    .rules li { padding: 4px 0; border-bottom: 1px solid var(--rule); }
    .rules li:first-child { font-family: var(--head); font-size: 16px; }
    .off { border: 1px solid var(--rule-strong); background: var(--sheet); padding: 14px 16px; margin-bottom: 18px; max-width: 820px; }
    .off label { display: block; padding: 3px 0; }
  `,
})
export class RequirementPage {
  private readonly api = inject(RequirementsApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly id = input.required<string>();
  readonly show = input<string>();
  protected readonly view = load(toObservable(this.id), (id) => forkJoin({ requirement: this.api.get(id), people: this.api.people(id) }), [
    'requirements',
    'people',
    'assignments',
    'clock',
  ]);
  protected readonly isEnding = signal(false);
  protected readonly outside = signal<'withdraw' | 'keep'>('withdraw');
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  protected readonly tally = computed(() => {
    const counts = this.view.data()?.people.counts ?? {};
    return STANDINGS.filter(({ key }) => counts[key]).map((entry) => ({ ...entry, count: counts[entry.key]! }));
  });
  protected readonly people = computed(() => {
    const order = new Map(STANDINGS.map(({ key }, index) => [key, index]));
    const all = this.view.data()?.people.people ?? [];
    const shown = this.show()
      ? all.filter(({ standing }) => standing === this.show())
      : [...all].sort((a, b) => (order.get(a.standing) ?? 99) - (order.get(b.standing) ?? 99));
    return { rows: shown.slice(0, SHOWN), more: Math.max(0, shown.length - SHOWN) };
  });
  protected readonly asks = computed(() => (this.view.data()?.people.people ?? []).filter(({ standing }) => standing === 'asks'));
  /** open because of this requirement: what switching off has to decide */
  protected readonly open = computed(
    () => (this.view.data()?.people.people ?? []).filter(({ assignmentId }) => assignmentId !== null).length,
  );

  protected ids(people: readonly RequirementPerson[]): (string | null)[] {
    return people.map(({ assignmentId }) => assignmentId);
  }

  protected word(standing: string): { words: string; tone: string } {
    return STANDINGS.find(({ key }) => key === standing) ?? { words: standing, tone: '' };
  }

  protected filter(show: string | null): void {
    void this.router.navigate([], { queryParams: { show } });
  }

  protected switchOff(): void {
    const { requirement } = this.view.data()!;
    this.run(this.api.switchOff(requirement.id, requirement.version, this.outside()), 'Switched off');
  }

  protected decide(ids: (string | null)[], outside: 'withdraw' | 'keep'): void {
    this.run(
      this.api.decide(
        this.id(),
        ids.filter((id) => id !== null),
        outside,
      ),
      outside === 'keep' ? 'Kept' : 'Withdrawn',
    );
  }

  protected remove(): void {
    this.problem.set(null);
    this.api.remove(this.id()).subscribe({
      next: () => void this.router.navigate(['/requirements']),
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  private run(request: Observable<RequirementResult>, words: string): void {
    this.isBusy.set(true);
    this.problem.set(null);
    request.subscribe({
      next: (result) => {
        this.isBusy.set(false);
        this.isEnding.set(false);
        const parts = [
          result.withdrawn ? `${tellAmount(result.withdrawn, 'assignments')} withdrawn` : '',
          result.kept ? `${tellAmount(result.kept, 'assignments')} kept` : '',
        ].filter(Boolean);
        this.told.set(`${words}${parts.length ? `: ${parts.join(', ')}` : ''}.`);
        this.view.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }
}
