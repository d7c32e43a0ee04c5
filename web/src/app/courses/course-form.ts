import {
  outlineOf,
  tellFinish,
  tellRelease,
  tellValidity,
  unitKind,
  type Asks,
  type FinishRule,
  type Release,
  type UnitKind,
  type Validity,
} from '@nudrik/core';
import type { CourseDraft, CourseView, DraftView, UnitView } from '@nudrik/contract';

/** A unit as it is written here. `key` is its own for as long as the page is open; `id` begins with `new-` until it is kept. */
export interface UnitForm extends UnitView {
  key: string;
}
export interface SectionForm {
  id: string | null;
  key: string;
  title: string;
  units: readonly UnitForm[];
}
export interface CourseForm {
  title: string;
  code: string | null;
  summary: string | null;
  ownerId: string | null;
  assistants: string[];
  validity: Validity | null;
  certificateDesignId: string | null;
  certificate: 'issued' | 'none' | null;
  asks: Asks;
  finish: FinishRule;
  sections: readonly SectionForm[];
}

let last = 0;
const nextKey = (): string => `${Date.now().toString(36)}-${++last}`;

/** The keys of the outline, for sections of this page. */
export const OUTLINE = outlineOf<UnitForm, SectionForm>((from, title, units) => ({
  id: from?.id ?? null,
  key: from?.key ?? nextKey(),
  title,
  units,
}));

export function newUnit(kind: UnitKind = 'page', title = ''): UnitForm {
  const key = nextKey();
  const { body = null, url = null, quiz = null, video = null, survey = null, signOff = null, session = null } = unitKind(kind).starts;
  return {
    key,
    id: `new-${key}`,
    kind,
    title,
    required: true,
    weight: 1,
    release: null,
    body,
    url,
    fileId: null,
    file: null,
    quiz,
    video,
    survey,
    signOff,
    session,
  };
}

/** The same with an identity of its own. */
export function copyUnit(unit: UnitForm): UnitForm {
  const key = nextKey();
  return { ...unit, key, id: `new-${key}`, title: `${unit.title} (copy)` };
}

/** What a unit of another kind keeps: its title and what stands around its content. */
export const asKind = (unit: UnitForm, kind: UnitKind): UnitForm => ({ ...newUnit(kind, unit.title), key: unit.key, id: unit.id, required: unit.required, weight: unit.weight, release: unit.release }); // prettier-ignore

export function formOf({ sections, ...facts }: DraftView['content'] | CourseView): CourseForm {
  const { title, code, summary, ownerId, assistants, validity, certificateDesignId, certificate, asks, finish } = facts;
  return {
    title,
    code,
    summary,
    ownerId,
    assistants,
    validity,
    certificateDesignId,
    certificate,
    asks,
    finish,
    sections: sections.map((section) => ({
      id: section.id,
      key: nextKey(),
      title: section.title,
      units: section.units.map((unit) => ({ ...unit, key: nextKey() })),
    })),
  };
}

/** The form as it is sent. */
export const draftOf = (form: CourseForm): CourseDraft => ({
  ...form,
  sections: form.sections.map(({ id, title, units }) => ({
    id,
    title,
    units: units.map(({ key: _key, file: _file, ...unit }) => unit),
  })),
});

export const unitsOf = (form: CourseForm): UnitForm[] => form.sections.flatMap(({ units }) => units);

/** Units under the ids that they were given meanwhile, and so the releases that wait for them. */
export function withIds(form: CourseForm, ids: Readonly<Record<string, string>>): CourseForm {
  const idOf = (id: string): string => ids[id] ?? id;
  const released = (release: Release | null): Release | null =>
    release?.kind === 'finished' || release?.kind === 'passed' ? { ...release, unit: idOf(release.unit) } : release;
  return {
    ...form,
    sections: form.sections.map((section) => ({
      ...section,
      units: section.units.map((unit) => ({ ...unit, id: idOf(unit.id), release: released(unit.release) })),
    })),
  };
}

export const CERTIFICATE_WORDS = { issued: 'issued', none: 'none, on purpose', open: 'not decided yet' };

/** A course in words, field by field, for comparing two. */
export function tellForm(form: CourseForm, owner: string, assistants: readonly string[]): Record<string, string> {
  const units = unitsOf(form);
  const titleOf = (id: string): string | null => units.find((unit) => unit.id === id)?.title ?? null;
  const words: Record<string, string> = {
    Title: form.title,
    Code: form.code ?? '',
    Summary: form.summary ?? '',
    Owner: owner,
    Assistants: assistants.join(', '),
    Certificate: CERTIFICATE_WORDS[form.certificate ?? 'open'],
    Valid: tellValidity(form.validity),
    'Certificate looks like': form.certificateDesignId ? `design ${form.certificateDesignId}` : 'those of the house',
    'Finished when': tellFinish(form.finish, units),
  };
  form.sections.forEach((section, i) => {
    words[`Section ${i + 1}`] = [
      section.title,
      ...section.units.map((unit) => {
        const about = [unit.required ? '' : 'optional', unit.release ? `opens ${tellRelease(unit.release, titleOf)}` : '']
          .filter(Boolean)
          .join(', ');
        const text =
          unit.body
            ?.replace(/<[^>]+>/g, ' ')
            .replace(/\s+/g, ' ')
            .trim()
            .slice(0, 300) ??
          unit.url ??
          unit.file?.name ??
          '';
        return `· ${unit.title}${about ? ` (${about})` : ''}${text ? `: ${text}` : ''}`;
      }),
    ].join('\n');
  });
  return words;
}
