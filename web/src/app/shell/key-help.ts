import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { KeysService } from './keys.service.ts';

@Component({
  selector: 'nk-key-help',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (keys.isHelpOpen()) {
      <div class="help" role="dialog" aria-label="Keys">
        <h2>Keys</h2>
        <dl>
          @for (line of lines; track line[0]) {
            <div><dt><kbd>{{ line[0] }}</kbd></dt><dd>{{ line[1] }}</dd></div>
          }
        </dl>
        <button class="button plain small" (click)="keys.isHelpOpen.set(false)">Close</button>
      </div>
    }
  `,
  styles: `
    .help {
      position: fixed; right: 24px; bottom: 24px; z-index: 40; width: 260px; padding: 16px 20px;
      background: var(--sheet); border: 1px solid var(--rule-strong);
    }
    dl { margin: 10px 0; }
    dl > div { display: flex; gap: 12px; padding: 3px 0; }
    dt { width: 48px; }
    dd { margin: 0; }
  `,
})
export class KeyHelp {
  protected readonly keys = inject(KeysService);
  protected readonly lines = [
    ['/', 'find a person'],
    ['a', 'assign a course'],
    ['j', 'next row'],
    ['k', 'row before'],
    ['Enter', 'open the row'],
    ['Esc', 'close the sheet'],
    ['[ ]', 'day before, day after'],
    ['?', 'this list'],
  ];
}
