import { computed, signal, type Signal, type WritableSignal } from '@angular/core';

/** Changes that can be taken back. */
const MOST = 200;

/** A draft with what was done to it: taken back, and done again. */
export class History<T> {
  private readonly current: WritableSignal<T>;
  private readonly done = signal<readonly T[]>([]);
  private readonly undone = signal<readonly T[]>([]);
  /** what the last change was: more of the same is one step */
  private last: string | null = null;
  readonly value: Signal<T>;
  readonly canUndo = computed(() => this.done().length > 0);
  readonly canRedo = computed(() => this.undone().length > 0);

  constructor(first: T) {
    this.current = signal(first);
    this.value = this.current.asReadonly();
  }

  /** Begins with this, without a past. */
  reset(value: T): void {
    this.current.set(value);
    this.done.set([]);
    this.undone.set([]);
    this.last = null;
  }

  /** @param what the same words twice running are taken back together, as when somebody types */
  change(what: string, change: (value: T) => T): void {
    const before = this.current();
    const after = change(before);
    if (JSON.stringify(after) === JSON.stringify(before)) return;
    if (what !== this.last) this.done.update((list) => [...list.slice(-MOST + 1), before]);
    this.last = what;
    this.undone.set([]);
    this.current.set(after);
  }

  /** The next change is one of its own. */
  rest(): void {
    this.last = null;
  }

  undo(): void {
    this.move(this.done, this.undone);
  }

  redo(): void {
    this.move(this.undone, this.done);
  }

  private move(from: typeof this.done, to: typeof this.done): void {
    const next = from().at(-1);
    if (!next) return;
    from.update((list) => list.slice(0, -1));
    to.update((list) => [...list, this.current()]);
    this.current.set(next);
    this.last = null;
  }
}
