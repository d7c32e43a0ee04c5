/** A binary heap; the smallest by `isBefore` comes out first. */
export class Heap<T> {
  private readonly items: T[] = [];
  constructor(private readonly isBefore: (a: T, b: T) => boolean) {}

  get size(): number {
    return this.items.length;
  }

  push(item: T): void {
    const items = this.items;
    let at = items.push(item) - 1;
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (!this.isBefore(item, items[parent]!)) break;
      items[at] = items[parent]!;
      at = parent;
    }
    items[at] = item;
  }

  pop(): T | undefined {
    const items = this.items;
    const top = items[0];
    const last = items.pop();
    if (items.length === 0 || last === undefined) return top;
    let at = 0;
    for (;;) {
      let child = 2 * at + 1;
      if (child >= items.length) break;
      if (child + 1 < items.length && this.isBefore(items[child + 1]!, items[child]!)) child += 1;
      if (!this.isBefore(items[child]!, last)) break;
      items[at] = items[child]!;
      at = child;
    }
    items[at] = last;
    return top;
  }
}
