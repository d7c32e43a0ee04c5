import type { SessionView } from '@nudrik/contract';
import { tellMoment, Zone } from '@nudrik/core';
import type { Choice } from '../shared/pick/select.ts';

/** A session as one picks it: what it is called, when, and whether there is room. */
export function tellSessionChoice({ id, title, startsAt, zone, seats, taken }: SessionView): Choice {
  const room = seats > taken ? `${seats - taken} free` : 'full: they wait';
  return { value: id, label: `${title}, ${tellMoment(Date.parse(startsAt), Zone.of(zone))}, ${room}` };
}
