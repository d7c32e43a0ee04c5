import { z } from 'zod';
import { Line } from '../common.ts';

/** POST /api/plans/:courseId/handouts and PUT /api/handouts/:id: a file for messages, as the body */
export const HandoutQuery = z.object({ name: Line(150) });

/** GET /api/plans/:courseId/handouts */
export interface HandoutView {
  id: string;
  name: string;
  bytes: number;
  version: number;
  putAt: string;
  putBy: string;
}

/** GET /api/downloads/:token: what a personal download link leads to */
export interface DownloadView {
  organisation: string;
  name: string;
  bytes: number;
  /** whose it is */
  person: string;
  /** in words, in their zone */
  until: string;
  /** whether it opens now; else in words why not */
  isOpen: boolean;
  why: string | null;
  mayAsk: boolean;
}

/** POST /api/downloads/:token/open: what the device keeps that opened it first. The answer is the file. */
export const DownloadOpen = z.strictObject({ holder: z.uuid() });
