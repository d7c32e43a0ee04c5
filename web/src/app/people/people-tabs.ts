import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink, RouterLinkActive } from '@angular/router';

/** What belongs to the people, beside the roster itself. */
@Component({
  selector: 'nk-people-tabs',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive],
  template: `
    <nav class="tabs" aria-label="People">
      <a routerLink="/people" [class.here]="isRoster()" [attr.aria-current]="isRoster() ? 'page' : null">Roster</a>
      @for (tab of tabs; track tab[0]) {
        <a [routerLink]="tab[0]" routerLinkActive="here" ariaCurrentWhenActive="page" [routerLinkActiveOptions]="options">{{ tab[1] }}</a>
      }
    </nav>
  `,
})
export class PeopleTabs {
  /** the roster itself, also with a person open beside it */
  readonly isRoster = input(false);
  protected readonly options = { paths: 'exact', queryParams: 'ignored', matrixParams: 'ignored', fragment: 'ignored' } as const;
  protected readonly tabs = [
    ['/people/import', 'Import a file'],
    ['/people/imports', 'Imports'],
    ['/people/structure', 'Structure'],
    ['/people/feed', 'Personnel feed'],
  ] as const;
}
