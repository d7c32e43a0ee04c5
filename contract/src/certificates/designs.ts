import { FACES, PAPERS, PARTS, type CertificatePart, type Design as CoreDesign, type Paper } from '@nudrik/core';
import { z } from 'zod';
import { Id, Line } from '../common.ts';

const Colour = z.string().regex(/^#[0-9a-fA-F]{6}$/, 'expected a colour like #6c2a5e');
const Millimetres = z.number().min(-500).max(1000);
const Points = z.number().min(0).max(40);
/** Where an element stands, in millimetres from the upper left corner of the sheet. */
const Box = z.object({ x: Millimetres, y: Millimetres, w: z.number().min(0).max(600), h: z.number().min(0).max(600) });

const Standing = z.object({
  id: z.string().regex(/^[a-z0-9-]{1,40}$/, 'expected letters, digits and dashes'),
  box: Box,
  part: z.enum(Object.keys(PARTS) as [CertificatePart, ...CertificatePart[]]).nullable(),
  isOn: z.boolean(),
});
const TextElement = Standing.extend({
  kind: z.literal('text'),
  text: z.string().max(600),
  label: z.string().max(80).nullable(),
  face: z.enum(FACES),
  size: z.number().min(5).max(144),
  align: z.enum(['left', 'middle', 'right']),
  upright: z.enum(['top', 'middle', 'bottom']),
  colour: Colour,
});
const PictureElement = Standing.extend({
  kind: z.literal('picture'),
  what: z.enum(['logo', 'signature', 'picture']),
  fileId: Id.nullable(),
  words: z.string().trim().max(120),
});
const RuleElement = Standing.extend({ kind: z.literal('rule'), colour: Colour, weight: Points });
const FrameElement = Standing.extend({
  kind: z.literal('frame'),
  colour: Colour,
  weight: Points,
  fill: Colour.nullable(),
  isDouble: z.boolean(),
});
const CodeElement = Standing.extend({ kind: z.literal('code'), colour: Colour });

/** The page of a certificate, its elements from the back to the front. */
export const Design = z.object({
  paper: z.enum(Object.keys(PAPERS) as [Paper, ...Paper[]]),
  isLying: z.boolean(),
  colour: Colour,
  backgroundId: Id.nullable(),
  elements: z
    .array(z.discriminatedUnion('kind', [TextElement, PictureElement, RuleElement, FrameElement, CodeElement]))
    .max(60, 'expected at most 60 elements'),
}) satisfies z.ZodType<CoreDesign>;

/** A certificate looks so in a course. */
interface DesignUser {
  id: string;
  title: string;
}
/** GET /api/certificate-designs */
export interface DesignRow {
  /** null is the one that comes with Nudrik */
  id: string | null;
  name: string;
  version: number;
  isRetired: boolean;
  /** certificates look so where a course says nothing else */
  isHouse: boolean;
  courses: DesignUser[];
  issued: number;
  changedAt: string | null;
  changedBy: string | null;
  /** as it would look for somebody made up */
  svg: string;
}

/** POST /api/certificate-designs: from one of those that come with Nudrik, or as a copy of one's own */
export const NewDesign = z.object({
  name: Line(80, 'a design needs a name'),
  from: z.union([z.object({ key: z.string().max(40) }), z.object({ id: Id })]),
});
export type NewDesign = z.infer<typeof NewDesign>;

/** PUT /api/certificate-designs/:id; `save` is another for each save, so that one whose answer was lost may come again */
export const DesignSave = z.object({
  name: Line(80, 'a design needs a name'),
  version: z.number().int().min(1),
  save: z.string().min(8).max(60),
  design: Design,
});
export type DesignSave = z.infer<typeof DesignSave>;

/** POST /api/certificate-designs/:id/retire, /house */
export const DesignRetiring = z.object({ isRetired: z.boolean() });
export const HouseDesign = z.object({ id: Id.nullable() });

/** GET /api/certificate-designs/:id */
export interface DesignView {
  id: string;
  name: string;
  version: number;
  isRetired: boolean;
  isHouse: boolean;
  design: CoreDesign;
  courses: DesignUser[];
  issued: number;
  versions: { version: number; at: string; byWhom: string; issued: number }[];
  changedAt: string;
  changedBy: string;
}

/** Why somebody stands beside a design. */
export type PreviewWhy = 'longest name' | 'shortest name' | 'another script' | 'chosen' | 'letters missing';
export interface PreviewPersonOf {
  /** null is somebody made up */
  id: string | null;
  name: string;
  why: PreviewWhy;
  /** letters of the name that no shipped font has */
  missing: string[];
}
/** GET /api/certificate-designs/people: who shows what a design does with names */
export interface DesignPeople {
  people: PreviewPersonOf[];
  courses: DesignUser[];
  /** whose names have letters that no shipped font has, of everybody who is here */
  missing: number;
}

/** POST /api/certificate-designs/preview */
export const DesignLook = z.object({
  design: Design,
  courseId: Id.nullable(),
  /** up to six; null is somebody made up, with a name in another script */
  people: z.array(Id.nullable()).min(1).max(6),
});
export type DesignLook = z.infer<typeof DesignLook>;

/** A page as it would be, of one person. Pictures are named in it, `href="picture:12"`, and not repeated. */
export interface DesignSheet {
  name: string;
  svg: string;
  /** what did not go as it was meant, in words, with the element */
  faults: { element: string | null; words: string }[];
}
export interface DesignSeen {
  sheets: DesignSheet[];
  /** of the first of the people: each element by itself, and where its ink stands */
  pieces: { element: string; svg: string }[];
  /** what is to be looked at, whoever gets it */
  remarks: { element: string | null; words: string }[];
  /** pixels of pictures that stand in it, by file; the house's own as `logo` */
  pictures: string[];
}
/** POST /api/certificate-pictures?name=… */
export interface CertificatePicture {
  id: string;
  name: string;
  width: number;
  height: number;
}
