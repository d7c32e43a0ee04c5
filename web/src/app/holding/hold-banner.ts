import { headOfHold, tellWaits } from '@nudrik/core';
import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { of } from 'rxjs';
import { load } from '../shared/loaded.ts';
import { MomentPipe } from '../shared/moment.pipe.ts';
import { HoldingApi } from './holding.api.ts';

/** While everything is held, each page of the office says so. */
@Component({
  selector: 'nk-hold-banner',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, MomentPipe],
  template: `
    @for (hold of holds.data(); track hold.id) {
      <p role="status">
        <strong>{{ head(hold) }}.</strong> Held since {{ hold.from | moment }} by {{ hold.by }}: {{ hold.reason }}. {{ hold.until ? 'Until the morning of ' + hold.until : 'Until it is released' }}; {{ waits(hold.waits) }}.
        <a routerLink="/held">Held messages</a>
      </p>
    }
  `,
  styles: `p { padding: 7px 24px; background: #faf3e4; border-bottom: 1px solid var(--ochre); }`,
})
export class HoldBanner {
  private readonly api = inject(HoldingApi);
  protected readonly holds = load(of(true), () => this.api.over('everything', null), ['holds', 'clock']);
  protected readonly head = headOfHold;
  protected readonly waits = tellWaits;
}
