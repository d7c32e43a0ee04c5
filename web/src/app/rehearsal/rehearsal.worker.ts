import { expose } from 'comlink';
import type { Refusal } from '@nudrik/contract';
import type { RehearsalFacts } from '@nudrik/core';
import { RehearsalDesk, type Desk } from './rehearsal-desk.ts';

/** The desk in a worker of its own: facts are fetched here, and never pass through the page. */
class RehearsalWork extends RehearsalDesk {
  /** @throws Error with a sentence when the facts are not to be had */
  async open(course: string | null): Promise<Desk> {
    const response = await fetch(`/api/rehearsal${course === null ? '' : `?course=${encodeURIComponent(course)}`}`);
    if (!response.ok)
      throw new Error(((await response.json().catch(() => null)) as Refusal | null)?.message ?? `The server answered ${response.status}.`);
    return this.take((await response.json()) as RehearsalFacts);
  }
}

export type { RehearsalWork };
expose(new RehearsalWork());
