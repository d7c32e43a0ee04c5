import { HttpErrorResponse } from '@angular/common/http';
import type { Refusal } from '@nudrik/contract';

/** Whether a save was refused since somebody else saved a newer version. */
export const isStale = (error: unknown): boolean => error instanceof HttpErrorResponse && (error.error as Refusal | null)?.code === 'stale';

/** Whether it was refused since it clashes with something; it may be done anyway. */
export const isClash = (error: unknown): boolean => error instanceof HttpErrorResponse && (error.error as Refusal | null)?.code === 'clash';

/** Whether the account has a second factor: its code is asked for, or was not right. */
export const wantsCode = (error: unknown): boolean =>
  error instanceof HttpErrorResponse && (error.error as Refusal | null)?.code === 'second-factor';

/** What went wrong, in the server's sentence, or in ours when it did not answer. */
export function sentenceOf(error: unknown): string {
  if (!(error instanceof HttpErrorResponse)) return 'Something went wrong on this page. Load it again; nothing was changed.';
  if (error.status === 0) return 'Nudrik does not answer. Nothing was changed; it is tried again when you try again.';
  return (error.error as Refusal | null)?.message ?? `The server answered ${error.status}. Nothing was changed.`;
}
