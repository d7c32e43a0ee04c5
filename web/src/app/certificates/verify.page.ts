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
  template: `
    <div class="alone">
      <p class="name">nudrik<span>.</span></p>
      <h1>Check a certificate</h1>
      <form (submit)="$event.preventDefault(); check(box.value)">
        <label class="field"><span>Serial, as it stands on the certificate</span><input #box class="input" [value]="serial() ?? ''" placeholder="7F3K-9QWD-X" autocomplete="off" /></label>
        <button class="button filled">Check it</button>
      </form>
      @if (answer.data(); as found) {
        <section role="status">
          @if (found.answer === 'unknown') {
            <h2 class="late">Not known</h2>
            <p>{{ found.reason }}</p>
          } @else {
            <h2 [class.done]="found.answer === 'genuine'" [class.late]="found.answer !== 'genuine'">{{ found.answer === 'genuine' ? 'Genuine' : found.answer === 'expired' ? 'Genuine, but expired' : 'Revoked' }}</h2>
            <dl class="facts">
              <div><dt>name</dt><dd>{{ found.name }}</dd></div>
              <div><dt>course</dt><dd>{{ found.course }}</dd></div>
              <div><dt>finished on</dt><dd>{{ found.issuedOn | day: 'date' }}</dd></div>
              <div><dt>valid until</dt><dd>{{ found.expiresOn ? (found.expiresOn | day: 'date') : 'no expiry' }}</dd></div>
              <div><dt>issued by</dt><dd>{{ found.organisation }}</dd></div>
            </dl>
          }
        </section>
      } @else if (answer.error()) {
        <p class="refusal" role="alert">{{ answer.error() }}</p>
      }
    </div>
  `,
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
