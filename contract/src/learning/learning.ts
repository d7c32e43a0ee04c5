import { z } from 'zod';
import type { ScormEdition, Survey, UnitKind } from '@nudrik/core';
import type { FinishedFact } from '../common.ts';
import type { ReachView } from '../people/reach.ts';

export const LinkToken = z
  .string()
  .regex(/^[A-Za-z0-9_-]{20,80}$/, 'This link is not complete. Open it from the message again, or copy the whole of it.');

/** GET /api/learning/:token */
export interface LearningView extends FinishedFact {
  person: string;
  organisation: string;
  trainer: string | null;
  course: { title: string; summary: string | null };
  /** questions are asked on the page, or were */
  hasAsking: boolean;
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
  file: { name: string; bytes: number; type: string; pages: number | null } | null;
  video: { share: number; seconds: number; percent: number; captions: { language: string }[] } | null;
  survey: Survey | null;
  /** what a supervisor will look at */
  signOff: { guide: string; criteria: { words: string; isNeeded: boolean }[]; outcome: string | null } | null;
  /** where they were in it */
  place: Place | null;
  /** of a quiz: "10 questions, 80 % passes" */
  about: string | null;
  doneAt: string | null;
}

/** GET /api/my-training */
export interface MyTraining {
  person: string;
  zone: string;
  /** where one's due dates can be subscribed to (RFC 5545); null where it was not asked for */
  calendar: string | null;
  reach: ReachView;
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

/** PUT /api/my-training/calendar: makes an address, or another; or ends it */
export const CalendarChange = z.object({ isOn: z.boolean() });

/** Where somebody is in a unit: the paragraph of a page, the page of a file, the second of a video. */
export const Place = z
  .object({
    paragraph: z.number().int().min(0).max(100_000),
    page: z.number().int().min(1).max(100_000),
    seconds: z.number().min(0).max(86_400),
  })
  .partial();
export type Place = z.infer<typeof Place>;

/** POST /api/learning/:token/units/:unit/played: stretches that were played since the last report, in seconds; and where it is now */
export const PlayedReport = z.object({
  played: z.array(z.tuple([z.number().min(0).max(86_400), z.number().min(0).max(86_400)])).max(500),
  at: z.number().min(0).max(86_400),
});
export type PlayedReport = z.infer<typeof PlayedReport>;
export interface PlayedView {
  /** of it that was played, and that it takes */
  percent: number;
  share: number;
  isDone: boolean;
  finished: boolean;
}

/** GET /api/learning/:token/units/:unit/package */
export interface PackageView {
  address: string;
  edition: ScormEdition;
  /** its data model as JSON, as it was left; null begins */
  data: string | null;
  person: { id: string; name: string };
}
/** PUT /api/learning/:token/units/:unit/package */
export const PackageReport = z.object({ data: z.string().min(2).max(400_000) });
export type PackageReport = z.infer<typeof PackageReport>;
