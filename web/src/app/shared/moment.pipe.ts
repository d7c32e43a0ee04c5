import { inject, Pipe, type PipeTransform } from '@angular/core';
import { dayOf, tellDate, tellDay, tellMoment, tellTime, Zone } from '@nudrik/core';
import { SessionStore } from '../access/session.store.ts';
import { ClockStore } from '../shell/clock.store.ts';

const SHORT: Record<string, string> = { 'Europe/London': 'London time', 'Europe/Oslo': 'Oslo time' };
export const zoneWords = (zone: string): string => SHORT[zone] ?? zone.split('/').at(-1)!.replace(/_/g, ' ') + ' time';

/** An instant in words: `Tue 3 Mar 09:00`, in the house's zone or the one given. */
@Pipe({ name: 'moment' })
export class MomentPipe implements PipeTransform {
  private readonly session = inject(SessionStore);

  transform(iso: string | null | undefined, form: 'moment' | 'day' | 'time' | 'date' = 'moment', zone?: string): string {
    if (!iso) return '';
    const place = Zone.of(zone ?? this.session.zone());
    const instant = Date.parse(iso);
    if (form === 'day') return tellDay(place.dayAt(instant));
    if (form === 'time') return tellTime(instant, place);
    if (form === 'date') return tellDate(place.dayAt(instant));
    return tellMoment(instant, place);
  }
}

/** A local date in words: `Tue 3 Mar`, or with its year. */
@Pipe({ name: 'day' })
export class DayPipe implements PipeTransform {
  transform(date: string | null | undefined, form: 'day' | 'date' = 'day'): string {
    if (!date) return '';
    return form === 'date' ? tellDate(dayOf(date)) : tellDay(dayOf(date));
  }
}

/**
 * A date that was typed, said again in words beside its field, so that a mistyped one is seen: `Wed 27 May` this year,
 * with the year otherwise; nothing while it is not whole.
 */
@Pipe({ name: 'said' })
export class SaidPipe implements PipeTransform {
  private readonly clock = inject(ClockStore);

  transform(date: string | null | undefined): string {
    if (!date || !/^\d{4}-\d{2}-\d{2}$/.test(date)) return '';
    const day = dayOf(date);
    const isThisYear = date.slice(0, 4) === new Date(this.clock.now() ?? 0).toISOString().slice(0, 4);
    return isThisYear ? tellDay(day) : `${tellDay(day)} ${date.slice(0, 4)}`;
  }
}
