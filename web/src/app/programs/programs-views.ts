import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

/** The pages of other programs: what they read, what they bring, what they are told. */
@Component({
  selector: 'nk-programs-views',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <p class="crumbs"><a routerLink="/settings">Settings</a></p>
    <nav class="views" aria-label="Other programs">
      <a routerLink="/settings/programs" routerLinkActive="on" [routerLinkActiveOptions]="{ exact: true }" ariaCurrentWhenActive="page">What they read</a>
      <a routerLink="/settings/programs/completions" routerLinkActive="on" ariaCurrentWhenActive="page">What they bring</a>
      <a routerLink="/settings/programs/told" routerLinkActive="on" ariaCurrentWhenActive="page">What they are told</a>
    </nav>
  `,
})
export class ProgramsViews {}
