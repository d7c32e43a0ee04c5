import { inject, Pipe, type PipeTransform } from '@angular/core';
import type { FinishedFact } from '@nudrik/contract';
import { dayOf, tellDate, tellDay, tellMoment, tellTime, Zone, zoneWords } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';

export { zoneWords } from '@nudrik/core';

/**
 * An instant in words: `Tue 3 Mar 09:00`, with the year where it is not this one, in the house's zone or the one given.
 * A page about somebody in another zone asks for `marked`: then the zone stands with it where it is not the reader's.
 */
@Pipe({ name: 'moment' })
export class MomentPipe implements PipeTransform {
  private readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);

  transform(
    iso: string | null | undefined,
    form: 'moment' | 'day' | 'time' | 'date' = 'moment',
    zone?: string,
    marking: 'marked' | 'plain' = 'plain',
  ): string {
    if (!iso) return '';
    const place = Zone.of(zone ?? this.session.zone());
    const instant = Date.parse(iso);
    const now = this.clock.now();
    const words = {
      day: () => tellDay(place.dayAt(instant), now === null ? null : place.dayAt(now)),
      time: () => tellTime(instant, place),
      date: () => tellDate(place.dayAt(instant)),
      moment: () => tellMoment(instant, place, now),
    }[form]();
    return marking === 'marked' && zone && zone !== this.session.zone() && form !== 'date' ? `${words} ${zoneWords(zone)}` : words;
  }
}

/** When something was finished: a moment, or the day of a completion that was recorded, whose hour nobody knows. */
@Pipe({ name: 'finished' })
export class FinishedPipe implements PipeTransform {
  private readonly session = inject(SessionStore);

  transform(fact: FinishedFact, zone?: string): string {
    if (fact.finishedOn) return tellDate(dayOf(fact.finishedOn));
    return fact.finishedAt ? tellDate(Zone.of(zone ?? this.session.zone()).dayAt(Date.parse(fact.finishedAt))) : '';
  }
}

/** A local date in words: `Tue 3 Mar`, or with its year. */
@Pipe({ name: 'day' })
export class DayPipe implements PipeTransform {
  private readonly session = inject(SessionStore);
  private readonly clock = inject(ClockStore);

  transform(date: string | null | undefined, form: 'day' | 'date' = 'day'): string {
    if (!date) return '';
    const now = this.clock.now();
    return form === 'date' ? tellDate(dayOf(date)) : tellDay(dayOf(date), now === null ? null : Zone.of(this.session.zone()).dayAt(now));
  }
}
