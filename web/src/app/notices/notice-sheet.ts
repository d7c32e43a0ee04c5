import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import type { NoticeAct } from '@nudrik/contract';
import { SessionStore } from '../access/session.store.ts';
import { Remind } from '../assignments/remind.ts';
import { KindMark } from '../shared/kind-mark.ts';
import { Letter } from '../messages/letter.ts';
import { load } from '../shared/loaded.ts';
import { sentenceOf } from '../shared/refusal.ts';
import { Outcome } from '../shared/outcome.ts';
import { NoticesApi } from './notices.api.ts';

/** One notice: what was sent, when, why, and what followed. Or why there is none. */
@Component({
  selector: 'nk-notice-sheet',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, KindMark, Outcome, Letter, Remind],
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
    .acts { display: flex; flex-wrap: wrap; gap: 8px; align-items: end; margin-top: 10px; }
    .acts .grow { flex: 1; margin: 0; }
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
  protected readonly session = inject(SessionStore);
  protected readonly isSkipping = signal(false);
  protected readonly isAgain = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly told = linkedSignal((): string | null => (this.question(), null));
  protected reason = '';

  /** Skips it, sends it now, or takes a skip back. */
  protected act(what: NoticeAct['what'], reason = ''): void {
    const id = this.sheet.data()?.notice?.id;
    if (!id) return;
    this.problem.set(null);
    this.api.actOn(id, { what, ...(reason.trim() !== '' && { reason: reason.trim() }) }).subscribe({
      next: () => {
        this.isSkipping.set(false);
        this.reason = '';
        this.sheet.reload();
      },
      error: (error: unknown) => this.problem.set(sentenceOf(error)),
    });
  }

  protected readonly whyWords = computed(() => {
    const state = this.sheet.data()?.notice?.state;
    if (state === undefined) return 'Why there is none';
    if (state === 'sent' || state === 'delivered' || state === 'bounced' || state === 'sending') return 'Why it went';
    if (state === 'planned') return 'Why it will go';
    return state === 'held' ? 'Why it is held' : 'Why it did not go';
  });
}
