import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { load } from '../shared/loaded.ts';
import { DayPipe } from '../shared/moment.pipe.ts';
import { CertificatesApi } from './certificates.api.ts';
import { addressOf } from './sheet-picture.ts';

const ANSWERS = { genuine: 'Genuine', expired: 'Genuine, but expired', revoked: 'Revoked', replaced: 'Replaced by a newer one' };

/** A certificate as its holder shows it: no more than it says, and whether it holds today. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DayPipe],
  template: `
    <div class="alone wide">
      <p class="name">nudrik<span>.</span></p>
      @if (found.data(); as it) {
        <h1>{{ it.name }}: {{ it.course }}</h1>
        <p><strong [class.done]="it.answer === 'genuine'" [class.late]="it.answer !== 'genuine'">{{ answers[it.answer] }}</strong>, as {{ it.organisation }} has it on record today.</p>
        <img [src]="src()" [alt]="'The certificate of ' + it.name + ' for ' + it.course" [class.late]="it.answer !== 'genuine'" />
        <dl class="facts">
          <div><dt>name</dt><dd>{{ it.name }}</dd></div>
          <div><dt>course</dt><dd>{{ it.course }}</dd></div>
          <div><dt>finished on</dt><dd>{{ it.issuedOn | day: 'date' }}</dd></div>
          <div><dt>valid until</dt><dd>{{ it.expiresOn ? (it.expiresOn | day: 'date') : 'no expiry' }}</dd></div>
          <div><dt>serial</dt><dd>{{ it.serial }}</dd></div>
          <div><dt>issued by</dt><dd>{{ it.organisation }}</dd></div>
        </dl>
        <p class="gap" style="margin-top: 14px">
          <a class="button plain" [href]="'/api/shown/' + link() + '/pdf'" target="_blank">As PDF</a>
          @if (it.hasBadge) {<a class="button plain" [href]="'/api/shown/' + link() + '/badge'" download>As a signed badge</a>}
        </p>
        @if (it.hasBadge) {<p class="quiet" style="margin-top: 8px">The badge is a credential by the standard Open Badges 3.0: programs that know it check its signature by themselves.</p>}
      } @else if (found.error()) {
        <h1>Nothing is shown here</h1>
        <p>{{ found.error() }}</p>
      } @else {
        <p class="loading">Looking it up …</p>
      }
    </div>
  `,
  styles: `
    .wide { max-width: 720px; }
    img { display: block; width: 100%; border: 1px solid var(--rule); margin: 14px 0; background: var(--sheet); }
    img.late { opacity: 0.55; }
  `,
})
export class ShownPage {
  private readonly api = inject(CertificatesApi);
  readonly link = input.required<string>();
  protected readonly found = load(toObservable(this.link), (link) => this.api.shown(link));
  protected readonly src = computed(() => addressOf(this.found.data()?.svg ?? ''));
  protected readonly answers = ANSWERS;
}
