import { finishFault, type Counted, type FinishRule } from './finish.ts';
import { releaseFaults, type Released } from './release.ts';
import { unitKind, type UnitContent, type UnitKind } from './unit-kind.ts';

/** What is looked at of a course before anybody is asked for it. */
export interface CourseFacts {
  title: string;
  finish: FinishRule;
  sections: readonly { title: string; units: readonly (UnitContent & Counted & Released & { kind: UnitKind })[] }[];
}

export interface CourseFault {
  /** the unit or the section (counted from 0) in which it is mended; neither: in the course */
  unit: string | null;
  section: number | null;
  words: string;
}

/** What is missing in a course or can never be, each in a sentence: while there is any, nobody can be asked for it. */
export function courseFaults(course: CourseFacts): CourseFault[] {
  const faults: CourseFault[] = [];
  if (course.title.trim() === '') faults.push({ unit: null, section: null, words: 'The course has no title.' });
  course.sections.forEach(({ title, units }, section) => {
    if (title.trim() === '') faults.push({ unit: null, section, words: `Section ${section + 1} has no title.` });
    units.forEach((unit, i) => {
      if (unit.title.trim() === '')
        faults.push({ unit: unit.id, section, words: `Unit ${i + 1} of “${title || `section ${section + 1}`}” has no title.` });
      const fault = unitKind(unit.kind).fault(unit);
      if (fault) faults.push({ unit: unit.id, section, words: `${fault.words}.` });
    });
  });
  const units = course.sections.flatMap((section) => section.units);
  for (const { unit, words } of releaseFaults(units)) faults.push({ unit, section: null, words });
  const finish = finishFault(course.finish, units);
  if (finish) faults.push({ unit: null, section: null, words: finish });
  return faults;
}
