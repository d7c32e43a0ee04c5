import { DecimalPipe } from '@angular/common';
import { ChangeDetectionStrategy, Component, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { DayPipe } from '../shared/moment.pipe.ts';
import type { AudienceAnswer } from './audience.worker.ts';

/** Beside the conditions, at once: how many, who, and who is just outside and which condition keeps each out. */
@Component({
  selector: 'nk-audience-people',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [DecimalPipe, RouterLink, DayPipe],
  template: `
    <h2 data-testid="audience-count">{{ answer().count | number }} {{ answer().count === 1 ? 'person' : 'people' }}@if (answer().joining) {<span class="quiet" style="font: 400 13px var(--text)">, {{ answer().joining | number }} of them still to join</span>}</h2>
    <div class="tabs" style="margin: 8px 0 4px">
      <button [class.here]="!isOutside()" [attr.aria-pressed]="!isOutside()" (click)="isOutside.set(false)">Who is in</button>
      <button [class.here]="isOutside()" [attr.aria-pressed]="isOutside()" (click)="isOutside.set(true)">Just outside ({{ answer().outside.count | number }})</button>
    </div>
    @if (isOutside()) {
      <p class="quiet small">Only the condition named keeps each of these out.</p>
    }
    <table class="list" [attr.data-testid]="isOutside() ? 'outside' : 'inside'">
      <tbody>
        @for (person of isOutside() ? answer().outside.people : answer().people; track person.id) {
          <tr>
            <td>
              <a class="plain" [routerLink]="['/people', person.id]" target="_blank">{{ person.name }}</a>
              <div class="quiet small">{{ person.job ?? 'no job title' }}, {{ person.department }}, {{ person.site }}</div>
            </td>
            <td class="num">
              @if (person.keptOutBy) {<span class="soon">{{ person.keptOutBy }}</span>}
              @if (person.joins) {<div class="soon nowrap">joins {{ person.joins | day }}</div>}
            </td>
          </tr>
        } @empty {
          <tr><td class="quiet">{{ isOutside() ? 'Nobody is kept out by one condition alone.' : 'Nobody. Loosen a condition, or look who is just outside.' }}</td></tr>
        }
      </tbody>
    </table>
    @let list = isOutside() ? answer().outside : answer();
    @if (list.count > list.people.length) {<p class="quiet">… and {{ list.count - list.people.length | number }} more.</p>}
  `,
  styles: `.small { font-size: 12.5px; }`,
})
export class AudiencePeople {
  readonly answer = input.required<AudienceAnswer>();
  protected readonly isOutside = signal(false);
}
