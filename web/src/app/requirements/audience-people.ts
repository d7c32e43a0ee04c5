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
  templateUrl: './audience-people.html',
  styles: `.small { font-size: 12.5px; }`,
})
export class AudiencePeople {
  readonly answer = input.required<AudienceAnswer>();
  protected readonly isOutside = signal(false);
}
