import { inject, Injectable, signal } from '@angular/core';
import type { CanDeactivateFn } from '@angular/router';
import type { WorkInHand } from './work-in-hand.ts';

/** A page with work that may be unsaved. */
export interface HasWork {
  readonly work: WorkInHand<unknown>;
  /** a page that keeps what is typed by itself: once the last of it is kept, or cannot be just now */
  settled?(): Promise<void>;
}

type Answer = 'stay' | 'keep' | 'drop';

/** Asks what becomes of unsaved work, in one place for all pages. */
@Injectable({ providedIn: 'root' })
export class LeaveService {
  readonly isAsking = signal(false);
  private answered: (answer: Answer) => void = () => undefined;

  ask(): Promise<Answer> {
    this.isAsking.set(true);
    return new Promise((resolve) => (this.answered = resolve));
  }

  answer(answer: Answer): void {
    this.isAsking.set(false);
    this.answered(answer);
  }
}

/** Lets nobody leave unsaved work without a word. */
export const askBeforeLeaving: CanDeactivateFn<HasWork> = async (page) => {
  const leave = inject(LeaveService);
  await page?.settled?.();
  if (!page?.work?.hasUnsaved()) return true;
  const answer = await leave.ask();
  if (answer === 'drop') page.work.drop();
  return answer !== 'stay';
};
