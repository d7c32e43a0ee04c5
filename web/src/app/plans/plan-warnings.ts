import { ChangeDetectionStrategy, Component, input, output, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { PlanWarningView } from '@nudrik/contract';

/** What is to be known of a plan: each in a sentence, with whom it is about, and the act that mends it. */
@Component({
  selector: 'nk-plan-warnings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    @for (warning of warnings(); track warning.kind + warning.step + warning.words) {
      <div class="warning">
        <p>
          <span class="soon" aria-hidden="true">▲</span> {{ warning.words }}
          @if (warning.count > 0) {
            <button class="link" (click)="toggle(warning.words)" [attr.aria-expanded]="open() === warning.words">{{ open() === warning.words ? 'Hide them' : warning.count === 1 ? 'Show who' : 'Show the ' + warning.count }}</button>
          }
          @if (canMend() && warning.mend; as mend) {
            <button class="link" (click)="mended.emit(mend)">{{ mend.words }}</button>
          }
          @if (course() && !canMend()) {
            <a class="act" [routerLink]="['/plans', course()]" [queryParams]="{ step: warning.step }">{{ warning.mend ? 'Mend it in the plan' : 'Open the step' }}</a>
          }
        </p>
        @if (open() === warning.words) {
          <p class="who">
            @for (person of warning.people; track person.assignmentId) {<a class="plain" [routerLink]="['/people', person.id]">{{ person.name }}</a>{{ $last ? '' : ', ' }}}@if (warning.count > warning.people.length) {, and {{ warning.count - warning.people.length }} more}
          </p>
        }
      </div>
    }
  `,
  styles: `
    :host { display: block; }
    .warning { padding: 5px 0; border-bottom: 1px solid var(--rule); }
    .link, .act { margin-left: 10px; white-space: nowrap; }
    .who { padding: 3px 0 2px 18px; max-height: 120px; overflow: auto; color: var(--quiet); }
  `,
})
export class PlanWarnings {
  readonly warnings = input.required<readonly PlanWarningView[]>();
  /** the plan is being written here */
  readonly canMend = input(false);
  /** whose plan it is, where it is not being written here */
  readonly course = input<string | null>(null);
  readonly mended = output<NonNullable<PlanWarningView['mend']>>();
  protected readonly open = signal<string | null>(null);

  protected toggle(words: string): void {
    this.open.update((open) => (open === words ? null : words));
  }
}
