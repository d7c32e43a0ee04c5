import { addMonths, dateOf, dayOf, type LocalDate } from './calendar.ts';

export interface Holiday {
  on: LocalDate;
  name: string;
}

/** Feasts that are not on the same date each year. */
const MOVES =
  /easter|good friday|maundy|ascension|whit|pentecost|shrove|corpus|carnival|spring|summer|may holiday|thanksgiving|monday|thursday/i;

/** A holiday a year later, and whether somebody has to look at its date: a feast that moves, or a 29 February. */
export function nextYear({ on, name }: Holiday): Holiday & { needsLook: boolean } {
  const next = dateOf(addMonths(dayOf(on), 12));
  return { on: next, name, needsLook: MOVES.test(name) || next.slice(5) !== on.slice(5) };
}
