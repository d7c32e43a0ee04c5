import { z } from 'zod';
import type { UnitKind } from '@nudrik/core';
import type { FinishedFact } from '../common.ts';

export const LinkToken = z
  .string()
  .regex(/^[A-Za-z0-9_-]{20,80}$/, 'This link is not complete. Open it from the message again, or copy the whole of it.');

/** GET /api/learning/:token */
export interface LearningView extends FinishedFact {
  person: string;
  organisation: string;
  trainer: string | null;
  course: { title: string; summary: string | null };
  assignedAt: string;
  dueAt: string;
  zone: string;
  state: string;
  closedReason: string | null;
  unitsDone: number;
  unitsRequired: number;
  /** whole percent, by weight: 100 is finished */
  percent: number;
  /** what finishes it: "all 5 required units are done" */
  finishWords: string;
  sections: { title: string; units: LearningUnit[] }[];
  certificate: { serial: string; expiresOn: string | null } | null;
}

export interface LearningUnit {
  id: string;
  kind: UnitKind;
  title: string;
  required: boolean;
  /** "opens Mon 8 Mar 08:00"; null where it is open, and then its content is here */
  opens: string | null;
  body: string | null;
  url: string | null;
  file: { name: string; bytes: number } | null;
  /** of a quiz: "10 questions, 80 % passes" */
  about: string | null;
  doneAt: string | null;
}

/** GET /api/my-training */
export interface MyTraining {
  person: string;
  zone: string;
  assignments: MyAssignment[];
}
export interface MyAssignment extends FinishedFact {
  id: string;
  token: string;
  course: string;
  assignedAt: string;
  dueAt: string;
  state: string;
  unitsDone: number;
  unitsRequired: number;
  certificate: { serial: string; state: string; expiresOn: string | null } | null;
}
