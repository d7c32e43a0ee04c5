import { ChangeDetectionStrategy, Component, effect, input, output, signal } from '@angular/core';

/** What is told once and never again: a token, or what calls are signed with. */
@Component({
  selector: 'nk-told-once',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="success" role="status">
      <p><strong>{{ words() }} It is told now, and never again:</strong></p>
      <p class="token" data-testid="token">{{ text() }}</p>
      <p><button class="button small" (click)="copy()">{{ isCopied() ? 'Copied' : 'Copy it' }}</button> <button class="link" (click)="taken.emit()">I have it</button></p>
    </div>
  `,
  styles: '.token { font-family: var(--mono, ui-monospace, monospace); overflow-wrap: anywhere; margin: 6px 0; }',
}) // prettier-ignore
export class ToldOnce {
  readonly words = input.required<string>();
  readonly text = input.required<string>();
  readonly taken = output<void>();
  protected readonly isCopied = signal(false);

  constructor() {
    effect(() => {
      this.text();
      this.isCopied.set(false);
    });
  }

  protected copy(): void {
    void navigator.clipboard?.writeText(this.text()).then(() => this.isCopied.set(true));
  }
}
