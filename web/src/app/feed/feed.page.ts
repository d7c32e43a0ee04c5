import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { GROUPS } from '@nudrik/core';
import type { FeedMode, PullRow } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { of } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { NumberField } from '../shared/pick/number-field.ts';
import { SelectField } from '../shared/pick/select.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { tellField, tellValue } from '../people/field-words.ts';
import { HouseRecord } from '../house/house-record.ts';
import { FeedApi } from './feed.api.ts';
import { PeopleTabs } from '../people/people-tabs.ts';

const MODES: Record<FeedMode, string> = {
  ok: 'works',
  down: 'is down',
  slow: 'answers after a minute',
  'cut-off': 'is cut off in the middle of a page',
  malformed: 'sends what is not JSON',
  half: 'hands out only half of the people',
};
const TONES: Record<PullRow['outcome'], string> = { unchanged: 'quiet', taken: 'done', held: 'soon', failed: 'late', declined: 'quiet' };

/** The personnel feed: when it is pulled, what came of each pull, and what waits for a person. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, HouseRecord, RouterLink, MomentPipe, NumberField, SelectField, PeopleTabs],
  templateUrl: './feed.page.html',
  styles: `
    .set { display: grid; grid-template-columns: minmax(0, 1fr) 190px 190px; gap: 0 16px; max-width: 860px; }
    .held { border: 1px solid var(--rule-strong); background: var(--sheet); padding: 14px 16px; margin-bottom: 18px; }
  `,
})
export class FeedPage {
  private readonly api = inject(FeedApi);
  private readonly router = inject(Router);
  protected readonly session = inject(SessionStore);
  readonly pull = input<string>();
  protected readonly feed = load(of(true), () => this.api.feed(), ['feed', 'people', 'clock']);
  protected readonly modes = Object.entries(MODES).map(([value, label]) => ({ value, label }));
  protected readonly tones = TONES;
  protected readonly groups = GROUPS;
  protected readonly isEditing = signal(false);
  protected readonly isBusy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = signal<string | null>(null);
  /** taken from the feed when editing begins: what happens meanwhile does not overwrite what is typed */
  protected readonly draft = signal({ url: '', isOn: true, times: '06:00', changeShare: 5 });
  protected readonly held = computed(() => this.feed.data()?.pulls.find(({ outcome }) => outcome === 'held') ?? null);
  protected readonly heldPreview = load(toObservable(computed(() => this.held()?.id ?? null)), (id) => this.api.previewPull(id), [
    'people',
  ]);

  protected edit(): void {
    const { url, isOn, times, changeShare } = this.feed.data()!;
    this.draft.set({ url, isOn, times: times.join(', ') || '06:00', changeShare });
    this.isEditing.set(true);
  }

  protected save(): void {
    const { url, isOn, times, changeShare } = this.draft();
    this.act(
      this.api.changeFeed({ url: url.trim(), isOn, times: times.split(/[\s,;]+/).filter(Boolean), changeShare: Number(changeShare) }),
      'Saved.',
      () => this.isEditing.set(false),
    );
  }

  protected pullNow(): void {
    this.isBusy.set(true);
    this.problem.set(null);
    this.told.set(null);
    this.api.pullNow().subscribe({
      next: (row) => {
        this.isBusy.set(false);
        // a pull that is held is told by what waits, just below
        if (row.outcome !== 'held') (row.outcome === 'failed' ? this.problem : this.told).set(row.words);
        this.feed.reload();
      },
      error: (error: unknown) => {
        this.isBusy.set(false);
        this.problem.set(sentenceOf(error));
      },
    });
  }

  protected setMode(mode: FeedMode): void {
    this.act(this.api.setFeedMode(mode), null);
  }

  protected decide(id: string, word: 'approve' | 'decline'): void {
    this.act(
      this.api.decidePull(id, word),
      word === 'approve' ? 'Taken.' : 'Declined; nothing of it was taken.',
      () => void this.router.navigate([], { queryParams: {} }),
    );
  }

  protected set(change: Partial<ReturnType<FeedPage['draft']>>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }

  private act(request: Observable<unknown>, words: string | null, then: () => void = () => undefined): void {
    this.problem.set(null);
    this.told.set(null);
    request.subscribe({
      next: () => {
        this.told.set(words);
        then();
        this.feed.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected readonly tellField = tellField;
  protected readonly tellValue = tellValue;
}
