import { STARTING_DESIGNS, type Design, type DesignElement } from '@nudrik/core';
import { insertDesign, insertDesignVersion, setHouseDesign, type Client } from 'nudrik';
import { CAST } from './orlasund.ts';

const DAY_MS = 86_400_000;
const beginning = (key: string): Design => STARTING_DESIGNS.find((one) => one.key === key)!.design;
const said = (design: Design, words: Readonly<Record<string, string>>): Design => ({
  ...design,
  elements: design.elements.map((element): DesignElement =>
    element.kind === 'text' && words[element.id] !== undefined ? { ...element, text: words[element.id]! } : element,
  ),
});

/** Courses whose certificates look like those of drills; the rest look like the house's. */
export const DRILL_COURSES = ['Muster and Abandon Ship', 'Fire Teams Aboard'];

/** Two designs: what the house's certificates look like, and those of drills. @returns that of drills */
export async function makeDesigns(db: Client, start: number): Promise<string> {
  const at = new Date(start - 480 * DAY_MS);
  const put = async (name: string, design: Design): Promise<string> => {
    const id = await insertDesign(db, name, at, CAST.administrator);
    await insertDesignVersion(db, id, 1, { design, at, byWhom: CAST.administrator, save: `first-${id}` });
    return id;
  };
  const house = await put(
    'Orlasund certificate',
    said(beginning('framed'), { lead: 'This is to certify that', line: 'has finished, for duty aboard' }),
  );
  await setHouseDesign(db, house);
  return put('Drill certificate', said(beginning('band'), { title: 'Certificate of drill', line: 'of {department} has taken part in' }));
}
