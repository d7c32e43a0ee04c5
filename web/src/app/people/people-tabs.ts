import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

/** What belongs to the people, beside the roster itself. */
@Component({
  selector: 'nk-people-tabs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav class="tabs" aria-label="People">
      @for (tab of tabs; track tab[0]) {
        <a [routerLink]="tab[0]" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="{ exact: true }">{{ tab[1] }}</a>
      }
    </nav>
  `,
})
export class PeopleTabs {
  protected readonly tabs = [['/people', 'Roster'], ['/people/import', 'Import a file'], ['/people/imports', 'Imports'], ['/people/structure', 'Structure'], ['/people/feed', 'Personnel feed']] as const; // prettier-ignore
}
