import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { SessionStore } from '../access/session.store.ts';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { SentApi } from './sent.api.ts';

/** A report that was too large for a mail: whom it went to fetches it here. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [MomentPipe],
  template: `
    <div class="work">
      @if (report.error()) {
        <h1>A report</h1>
        <p class="refusal" role="alert">{{ report.error() }}</p>
      } @else if (report.data(); as own) {
        <div class="page-head"><div><h1>{{ own.report }}</h1><p class="quiet">{{ own.what }}, made {{ own.at | moment }}, {{ session.zoneWords() }}</p></div></div>
        @if (own.href) {<p><a class="button filled" [href]="own.href" download>Fetch {{ own.file }}</a></p>} @else {<p class="notice">It is not kept any more: reports are kept for 30 days.</p>}
      } @else {
        <p class="loading">Looking for it …</p>
      }
    </div>
  `,
})
export class OwnReportPage {
  private readonly api = inject(SentApi);
  protected readonly session = inject(SessionStore);
  readonly letter = input.required<string>();
  protected readonly report = load(toObservable(this.letter), (id) => this.api.own(id));
}
