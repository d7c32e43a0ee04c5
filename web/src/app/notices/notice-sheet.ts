import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { KindMark } from '../shared/kind-mark.ts';
import { Letter } from '../messages/letter.ts';
import { load } from '../shared/loaded.ts';
import { Outcome } from '../shared/outcome.ts';
import { NoticesApi } from './notices.api.ts';

/** One notice: what was sent, when, why, and what followed. Or why there is none. */
@Component({
  selector: 'nk-notice-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, KindMark, Outcome, Letter],
  templateUrl: './notice-sheet.html',
  styles: `
    .head { display: flex; gap: 10px; align-items: baseline; }
    .head h2 { font-size: 20px; flex: 1; }
    .sentence { margin: 12px 0; font-size: 15px; }
    ul { list-style: none; margin: 0; padding: 0; }
    li { display: grid; grid-template-columns: 22px 1fr; padding: 5px 0; border-bottom: 1px solid var(--rule); }
    li.no span:first-child { color: var(--brick); }
    li span:first-child { color: var(--fern); }
    h3 { margin: 20px 0 4px; font-size: 16px; }
  `,
})
export class NoticeSheetPart {
  private readonly api = inject(NoticesApi);
  readonly notice = input<string | null>(null);
  readonly assignment = input<string | null>(null);
  readonly step = input<string | null>(null);
  readonly closed = output<void>();
  private readonly question = computed(() => {
    const [notice, assignment, step] = [this.notice(), this.assignment(), this.step()];
    return notice ? () => this.api.notice(notice) : assignment && step ? () => this.api.why(assignment, step) : null;
  });
  protected readonly sheet = load(toObservable(this.question), (ask) => ask(), ['notices', 'clock']);
  protected readonly whyWords = computed(() => {
    const state = this.sheet.data()?.notice?.state;
    if (state === undefined) return 'Why there is none';
    if (state === 'sent' || state === 'delivered' || state === 'bounced' || state === 'sending') return 'Why it went';
    if (state === 'planned') return 'Why it will go';
    return state === 'held' ? 'Why it is held' : 'Why it did not go';
  });
}
