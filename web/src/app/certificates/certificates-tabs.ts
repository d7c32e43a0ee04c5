import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

/** What belongs to certificates, beside the register itself. */
@Component({
  selector: 'nk-certificates-tabs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav class="tabs" aria-label="Certificates">
      @for (tab of tabs; track tab[0]) {
        <a [routerLink]="tab[0]" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="options">{{ tab[1] }}</a>
      }
    </nav>
  `,
})
export class CertificatesTabs {
  protected readonly options = { paths: 'exact', queryParams: 'ignored', matrixParams: 'ignored', fragment: 'ignored' } as const;
  protected readonly tabs = [
    ['/certificates', 'Register'],
    ['/certificates/running-out', 'What runs out'],
    ['/certificates/designs', 'Designs'],
  ] as const;
}
