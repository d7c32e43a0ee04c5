import { ChangeDetectionStrategy, Component } from '@angular/core';
import { RouterLink } from '@angular/router';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="work">
      <h1>There is no such page</h1>
      <p class="empty">The address may be mistyped, or what stood here is gone. <a routerLink="/">Go to your first page</a>.</p>
    </div>
  `,
})
export class NotHerePage {}
