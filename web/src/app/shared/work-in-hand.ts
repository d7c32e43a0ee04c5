import { computed, DestroyRef, effect, inject, signal, untracked, type Signal } from '@angular/core';

/** What a page keeps of work that is not saved yet. */
interface Kept<T> {
  /** when it was last changed, as ISO text */
  at: string;
  /** the version that it began from; null for something new */
  version: number | null;
  draft: T;
}

/** How two versions differ: what it is, mine, theirs. */
export interface Difference {
  what: string;
  mine: string;
  theirs: string;
}

/** Compares two drafts told in words, field by field, in the order of mine. */
export function differences(mine: Record<string, string>, theirs: Record<string, string>): Difference[] {
  return [...new Set([...Object.keys(mine), ...Object.keys(theirs)])]
    .filter((what) => (mine[what] ?? '') !== (theirs[what] ?? ''))
    .map((what) => ({ what, mine: mine[what] ?? 'not there', theirs: theirs[what] ?? 'not there' }));
}

const PREFIX = 'nudrik.work.';
const storage = (): Storage | null => {
  try {
    return localStorage;
  } catch {
    return null; // a browser that keeps nothing
  }
};

interface WorkOptions<T> {
  /** what is worked on, `course/7`; null while nothing is */
  key: Signal<string | null>;
  /** the draft as it stands; null while there is none */
  draft: Signal<T | null>;
  /** the version that it began from */
  version: Signal<number | null>;
  isChanged: Signal<boolean>;
}

/**
 * Unsaved work of a page: kept in the browser while it goes on, there again after a reload, asked about before the page is
 * left. Make it in the page's constructor; `hasUnsaved` is what the guard asks.
 */
export class WorkInHand<T> {
  private readonly opened = signal<string | null>(null);
  /** when the work that was found again was last changed; null where none was */
  readonly foundFrom = signal<string | null>(null);

  constructor(private readonly options: WorkOptions<T>) {
    const { key, draft, version, isChanged } = options;
    effect(() => {
      const [id, value, changed] = [key(), draft(), isChanged()];
      // nothing is thrown away before the page has looked for it
      if (id === null || value === null || untracked(this.opened) !== id) return;
      if (changed)
        storage()?.setItem(
          PREFIX + id,
          JSON.stringify({ at: new Date().toISOString(), version: untracked(version), draft: value } satisfies Kept<T>),
        );
      else storage()?.removeItem(PREFIX + id);
    });
    const ask = (event: BeforeUnloadEvent): void => {
      if (untracked(isChanged)) event.preventDefault();
    };
    window.addEventListener('beforeunload', ask);
    inject(DestroyRef).onDestroy(() => window.removeEventListener('beforeunload', ask));
  }

  /** Looks for work that was kept: call it once what is stored has been loaded. From then on changes are kept. */
  find(key: string): Kept<T> | null {
    const text = storage()?.getItem(PREFIX + key);
    this.opened.set(key);
    if (!text) return null;
    try {
      const kept = JSON.parse(text) as Kept<T>;
      this.foundFrom.set(kept.at);
      return kept;
    } catch {
      return null;
    }
  }

  /** Forgets what was kept: it was saved, or is not wanted. */
  drop(): void {
    const key = untracked(this.options.key);
    if (key !== null) storage()?.removeItem(PREFIX + key);
    this.foundFrom.set(null);
  }

  readonly hasUnsaved = computed(() => this.options.isChanged());
}
