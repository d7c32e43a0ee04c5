import type { Instant } from '../time/zone.ts';
import { Heap } from './heap.ts';

/**
 * What is still to be done, by moment and then by `compare`; things may be added at any time. Many share few moments (a
 * roster's mornings), so that only moments are kept in a heap and each one's things are put in order when it comes.
 */
export class Agenda<T extends { at: Instant }> {
  private readonly byMoment = new Map<Instant, T[]>();
  private readonly moments = new Heap<Instant>((a, b) => a < b);
  /** the moment that is being worked on, last things first */
  private current: { at: Instant; items: T[] } | null = null;
  constructor(private readonly compare: (a: T, b: T) => number) {}

  push(item: T): void {
    if (this.current && item.at === this.current.at) {
      const { items } = this.current;
      let low = 0;
      for (let high = items.length; low < high;) {
        const middle = (low + high) >> 1;
        if (this.compare(items[middle]!, item) > 0) low = middle + 1;
        else high = middle;
      }
      items.splice(low, 0, item);
      return;
    }
    if (this.current && item.at < this.current.at) {
      this.byMoment.set(this.current.at, this.current.items);
      this.moments.push(this.current.at);
      this.current = null;
    }
    const items = this.byMoment.get(item.at);
    if (items) items.push(item);
    else {
      this.byMoment.set(item.at, [item]);
      this.moments.push(item.at);
    }
  }

  pop(): T | undefined {
    while (!this.current || this.current.items.length === 0) {
      const at = this.moments.pop();
      if (at === undefined) return undefined;
      const items = this.byMoment.get(at)!;
      this.byMoment.delete(at);
      this.current = { at, items: items.sort((a, b) => this.compare(b, a)) };
    }
    return this.current.items.pop();
  }
}
