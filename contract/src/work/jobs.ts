import type { Refusal } from '../common.ts';

export type JobState = 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';

/** GET /api/jobs, /api/jobs/:id; POST /api/jobs/:id/cancel */
export interface JobView {
  id: string;
  kind: string;
  /** what it does */
  words: string;
  state: JobState;
  /** how many of how many; total is null before it is known */
  done: number;
  total: number | null;
  isCancelling: boolean;
  /** it goes on, and somebody asked for it */
  canCancel: boolean;
  byWhom: string;
  madeAt: string;
  endedAt: string | null;
  /** what the request that asked for it would have answered; null in lists, and where it did not end well */
  result: unknown;
  refusal: Refusal | null;
  /** a file that it made */
  fileId: string | null;
}

/** The answer, with status 202, of a request whose work takes long: it goes on, and is asked for at /api/jobs/:id. */
export interface JobBegun {
  job: string;
}
