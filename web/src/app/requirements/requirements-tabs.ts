import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';
import { SessionStore } from '../access/session.store.ts';

/** Standing rules, and what is done by hand beside them. */
@Component({
  selector: 'nk-requirements-tabs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav class="tabs" aria-label="Requirements">
      <a routerLink="/requirements" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="here">Standing rules</a>
      @if (session.canChange()) {
        <a routerLink="/assign" routerLinkActive="here" ariaCurrentWhenActive="page">Assign by hand</a>
        <a routerLink="/requirements/completions" routerLinkActive="here" ariaCurrentWhenActive="page">Record earlier completions</a>
      }
      <a routerLink="/requirements/waivers" routerLinkActive="here" ariaCurrentWhenActive="page">Waivers asked for</a>
      <a routerLink="/requirements/by-hand" routerLinkActive="here" ariaCurrentWhenActive="page">Done by hand</a>
    </nav>
  `,
})
export class RequirementsTabs {
  protected readonly session = inject(SessionStore);
  /** of whichever day they are */
  protected readonly here = { paths: 'exact', queryParams: 'ignored', matrixParams: 'ignored', fragment: 'ignored' } as const;
}
