import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';

/** Unsaved work of an earlier visit is here again, and may be dropped. */
@Component({
  selector: 'nk-found-again',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (from(); as at) {
      <p class="notice" role="status">
        What you had changed and not saved, {{ told(at) }}, is here again. <button type="button" class="link" (click)="dropped.emit()">Drop it</button>
      </p>
    }
  `,
})
export class FoundAgain {
  readonly from = input.required<string | null>();
  readonly dropped = output<void>();

  /** by the reader's own clock: it is their browser that kept it */
  protected told(at: string): string {
    return new Date(at)
      .toLocaleString('en-GB', { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
      .replace(',', '');
  }
}
