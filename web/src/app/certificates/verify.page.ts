import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { load } from '../shared/loaded.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { CertificatesApi } from './certificates.api.ts';

/** For anybody: is this certificate genuine? */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DayPipe],
  templateUrl: './verify.page.html',
  styles: `
    .alone { max-width: 460px; margin: 9vh auto; padding: 0 20px; }
    .name { font: 700 21px var(--head); margin-bottom: 18px; } .name span { color: var(--plum); }
    form { margin-top: 16px; } section { margin-top: 28px; } h2 { font-size: 20px; margin-bottom: 6px; }
  `,
})
export class VerifyPage {
  private readonly api = inject(CertificatesApi);
  private readonly router = inject(Router);
  readonly serial = input<string>();
  protected readonly answer = load(toObservable(this.serial), (serial) => this.api.verify(serial));

  protected check(typed: string): void {
    if (typed.trim()) void this.router.navigate(['/verify', typed.trim()]);
  }
}
