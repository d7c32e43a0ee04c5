import {
  COARSE,
  designFault,
  designRemarks,
  expiryOf,
  picturesOf,
  pixelsPerInch,
  placeDesign,
  STANDARD_DESIGN,
  STARTING_DESIGNS,
  elementName,
  type CertificateValues,
  type Design,
  type PlacedPage,
} from '@nudrik/core';
import type { DesignLook, DesignPeople, DesignRow, DesignSave, DesignSeen, DesignView, NewDesign, PreviewPersonOf } from '@nudrik/contract';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import { refuseStale } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { recordHouse } from '../house/record.ts';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { drawSvg } from './draw-svg.ts';
import { measure, missingLetters } from './fonts.ts';
import {
  designName,
  findDesign,
  findDesignVersion,
  findNamesake,
  insertDesign,
  insertDesignVersion,
  lettersOfRoster,
  listCertified,
  listDesigns,
  listDesignVersions,
  listShowingNames,
  listWithLetters,
  lockDesign,
  retireDesign,
  setHouseDesign,
  updateDesign,
} from './designs.repo.ts';
import { Pictures } from './pictures.ts';
import { MADE_UP, ownValues, sampleCourse, samplePeople } from './printed.ts';
import { listThere } from '../files/files.repo.ts';

const NO_DESIGN = 'There is no such design, or not any more.';
const SAMPLE_SERIAL = '7F3K-9QWD-X';

const shown = (fileId: string | null): string => `picture:${fileId ?? 'logo'}`;

interface Looked {
  page: PlacedPage;
  verifyUrl: string;
}

async function looks(
  deps: Deps,
  db: Queryable,
  design: Design,
  courseId: string | null,
  ids: readonly (string | null)[],
  called: string | null = null,
): Promise<{ values: CertificateValues; looked: Looked }[]> {
  const today = await houseToday(deps);
  const sample = await sampleCourse(db, courseId);
  const people = await samplePeople(db, ids);
  const verifyUrl = `${deps.settings.baseUrl}/verify/${SAMPLE_SERIAL}`;
  return people.map((person) => {
    const values = {
      ...person,
      ...(called === null ? {} : { 'full name': called }),
      ...sample.courseValues,
      ...ownValues({ serial: SAMPLE_SERIAL, issuedOn: today, expiresOn: expiryOf(today, sample.validity) }),
      'check address': verifyUrl.replace(/^https?:\/\//, ''),
    };
    return { values, looked: { page: placeDesign(design, values, measure), verifyUrl } };
  });
}

/** A design as it would look, and what is to be looked at in it. Nothing is stored. */
export async function lookAtDesign(deps: Deps, { design, courseId, people }: DesignLook): Promise<DesignSeen> {
  const { db } = deps;
  const pictures = new Pictures(db);
  await pictures.read(picturesOf(design));
  const seen = await looks(deps, db, design, courseId, people);
  const names = new Map(design.elements.map((element) => [element.id, elementName(element)]));
  const nameOf = (element: string): string => names.get(element) ?? 'A text';
  const sheets = seen.map(({ values, looked }) => ({
    name: values['full name'] ?? '',
    svg: drawSvg({ ...looked, pictureOf: pictures.get, hrefOf: shown }),
    faults: [
      ...looked.page.faults.map(({ element, fault, size }) => ({
        element,
        words: fault === 'cut' ? `${nameOf(element)} does not fit: its end is left out.` : `${nameOf(element)} is set in ${size.toFixed(1)} points to fit, which is hard to read.`, // prettier-ignore
      })),
      ...missingFaults(looked.page).map(({ element, letters }) => ({
        element,
        words: `${nameOf(element)} has ${letters.length === 1 ? 'a letter' : 'letters'} that no font here has: ${letters.join(' ')}. A “?” would stand there.`,
      })),
    ],
  }));
  const [first] = seen;
  const pieces = [...new Set(first!.looked.page.items.flatMap(({ element }) => (element === null ? [] : [element])))].map((element) => ({
    element,
    svg: drawSvg({
      ...first!.looked,
      page: { ...first!.looked.page, items: first!.looked.page.items.filter((item) => item.element === element) },
      pictureOf: pictures.get,
      hrefOf: shown,
    }),
  }));
  const remarks = [...designRemarks(design), ...pictureRemarks(design, first!.looked.page, pictures)];
  return {
    sheets,
    pieces,
    remarks,
    pictures: picturesOf(design)
      .filter((id) => pictures.get(id) !== null)
      .map((id) => id ?? 'logo'),
  };
}

/** Letters of each text that no shipped font has. */
function missingFaults({ items }: PlacedPage): { element: string; letters: string[] }[] {
  return items.flatMap((item) => {
    if (item.kind !== 'text') return [];
    const letters = missingLetters(item.lines.map(({ text }) => text).join(' '));
    return letters.length > 0 ? [{ element: item.element, letters }] : [];
  });
}

function pictureRemarks(design: Design, { items }: PlacedPage, pictures: Pictures): { element: string | null; words: string }[] {
  return items.flatMap((item) => {
    if (item.kind !== 'picture') return [];
    const element = design.elements.find(({ id }) => id === item.element);
    const name = element ? elementName(element) : 'The background';
    const picture = pictures.get(item.fileId);
    if (!picture)
      return [{ element: item.element, words: item.fileId !== null ? `${name}: its picture is not there any more.` : element?.kind === 'picture' && element.what !== 'logo' ? `${name} has no picture yet: its place stays empty.` : 'The house has no picture as PNG or JPEG: the place of the logo stays empty.' }]; // prettier-ignore
    const found = pixelsPerInch(item.rect, picture, item.fills);
    return found >= COARSE ? [] : [{ element: item.element, words: `${name} has ${found} pixels for an inch: on paper it looks coarse. Expected ${COARSE} or more; make it smaller, or take a larger picture.` }]; // prettier-ignore
  });
}

/** All designs, each as it looks; the one that comes with Nudrik first. */
export async function designRows(deps: Deps): Promise<DesignRow[]> {
  const { db } = deps;
  const list = await listDesigns(db);
  const pictures = new Pictures(db);
  await pictures.read([STANDARD_DESIGN, ...list.map(({ design }) => design)].flatMap(picturesOf));
  const svgOf = async (design: Design): Promise<string> => {
    const [seen] = await looks(deps, db, design, null, [null], 'Name of the Holder');
    return drawSvg({ ...seen!.looked, pictureOf: pictures.get, hrefOf: shown });
  };
  const hasHouse = list.some(({ is_house }) => is_house);
  const rows: DesignRow[] = [{ id: null, name: STARTING_DESIGNS[0].name, version: 0, isRetired: false, isHouse: !hasHouse, courses: [], issued: 0, changedAt: null, changedBy: null, svg: await svgOf(STANDARD_DESIGN) }]; // prettier-ignore
  for (const row of list)
    rows.push({
      id: row.id,
      name: row.name,
      version: row.version,
      isRetired: row.retired_at !== null,
      isHouse: row.is_house,
      courses: row.courses,
      issued: row.issued,
      changedAt: row.changed_at.toISOString(),
      changedBy: row.changed_by,
      svg: await svgOf(row.design),
    });
  return rows;
}

export async function designView(db: Queryable, id: string): Promise<DesignView> {
  const row = await findDesign(db, id);
  if (!row) throw new Refused('not-found', NO_DESIGN);
  const versions = await listDesignVersions(db, id);
  return {
    id,
    name: row.name,
    version: row.version,
    isRetired: row.retired_at !== null,
    isHouse: row.is_house,
    design: row.design,
    courses: row.courses,
    issued: row.issued,
    versions: versions.map(({ version, at, by_whom, issued }) => ({ version, at: at.toISOString(), byWhom: by_whom, issued })),
    changedAt: row.changed_at.toISOString(),
    changedBy: row.changed_by,
  };
}

/** One version, as it was. */
export async function designVersion(db: Queryable, id: string, version: number): Promise<Design> {
  const found = await findDesignVersion(db, id, version);
  if (!found) throw new Refused('not-found', `This design has no version ${version}.`);
  return found.design;
}

/** Refuses what no certificate could be drawn by. */
async function refuseFaults(db: Queryable, design: Design, name: string, id: string | null): Promise<void> {
  const fault = designFault(design);
  if (fault) throw new Refused('wrong-input', `${fault} Nothing was changed.`);
  const named = picturesOf(design).filter((file): file is string => file !== null);
  const there = await listThere(db, named, 'certificate');
  if (named.some((file) => !there.has(file)))
    throw new Refused(
      'wrong-input',
      'A picture of the design is not there any more. Take it out, or choose it again; nothing was changed.',
    );
  const twin = await findNamesake(db, name, id);
  if (twin)
    throw new Refused(
      'conflict',
      `There is a design called “${twin.name}” already; a name of its own keeps them apart. Nothing was changed.`,
    );
}

export async function createDesign(deps: Deps, { name, from }: NewDesign, byWhom: string): Promise<{ id: string }> {
  return transaction(deps.db, async (client) => {
    const design =
      'key' in from ? STARTING_DESIGNS.find(({ key }) => key === from.key)?.design : (await findDesign(client, from.id))?.design;
    if (!design) throw new Refused('not-found', NO_DESIGN);
    await refuseFaults(client, design, name, null);
    const at = new Date(deps.clock.now());
    const id = await insertDesign(client, name, at, byWhom);
    await insertDesignVersion(client, id, 1, { design, at, byWhom, save: `first-${id}` });
    await noted(deps, client, byWhom, `The certificate design ${name}`, null, { Name: name });
    return { id };
  });
}

/** Keeps a new version: certificates look so from now on; what was issued keeps its own. */
export async function saveDesign(deps: Deps, id: string, { name, version, save, design }: DesignSave, byWhom: string): Promise<DesignView> {
  return transaction(deps.db, async (client) => {
    const stored = await lockDesign(client, id);
    if (!stored) throw new Refused('not-found', NO_DESIGN);
    const newest = await findDesignVersion(client, id, stored.version);
    // one whose answer was lost
    if (newest!.save === save) return designView(client, id);
    await refuseStale(deps, client, `the design “${stored.name}”`, stored, version);
    await refuseFaults(client, design, name, id);
    const at = new Date(deps.clock.now());
    await insertDesignVersion(client, id, version + 1, { design, at, byWhom, save });
    await updateDesign(client, id, name, version + 1, at, byWhom);
    await noted(deps, client, byWhom, `The certificate design ${stored.name}`, { Name: stored.name, Version: String(version) }, { Name: name, Version: String(version + 1) }); // prettier-ignore
    return designView(client, id);
  });
}

/** A design that is offered no more. Courses that look so go on; what was issued stays. */
export async function setDesignRetired(deps: Deps, id: string, isRetired: boolean, byWhom: string): Promise<DesignView> {
  return transaction(deps.db, async (client) => {
    const stored = await lockDesign(client, id);
    if (!stored) throw new Refused('not-found', NO_DESIGN);
    const { is_house, courses } = (await findDesign(client, id))!;
    if (isRetired && (is_house || courses.length > 0))
      throw new Refused('conflict', `“${stored.name}” is in use${is_house ? ' where a course says nothing else' : ''}${courses.length > 0 ? `${is_house ? ', and' : ''} by ${courses.map(({ title }) => title).join(', ')}` : ''}. Choose another design there first; nothing was changed.`); // prettier-ignore
    await retireDesign(client, id, isRetired ? new Date(deps.clock.now()) : null);
    await noted(deps, client, byWhom, `The certificate design ${stored.name}`, { Offered: stored.retired_at ? 'no' : 'yes' }, { Offered: isRetired ? 'no' : 'yes' }); // prettier-ignore
    return designView(client, id);
  });
}

/** What certificates look like where a course says nothing else. @param id null is the design that comes with Nudrik */
export async function chooseHouseDesign(deps: Deps, id: string | null, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const stored = id === null ? null : await lockDesign(client, id);
    if (id !== null && !stored) throw new Refused('not-found', NO_DESIGN);
    if (stored?.retired_at)
      throw new Refused('conflict', `“${stored.name}” is not offered any more. Offer it again first; nothing was changed.`);
    const before = await designName(client, null);
    await setHouseDesign(client, id);
    await noted(deps, client, byWhom, 'Settings', { Certificates: before }, { Certificates: stored?.name ?? STARTING_DESIGNS[0].name }); // prettier-ignore
  });
}

async function noted(
  deps: Deps,
  client: Client,
  byWhom: string,
  what: string,
  before: Record<string, string> | null,
  after: Record<string, string>,
): Promise<void> {
  await recordHouse(client, 'settings', { at: deps.clock.now(), byWhom }, what, before, after);
  await announce(client, 'designs');
}

/** Who shows what a design does with names: the longest, the shortest, one in another script, and those with letters that no font here has. */
export async function designPeople(deps: Deps): Promise<DesignPeople> {
  const { db } = deps;
  const today = await houseToday(deps);
  const showing = await listShowingNames(db, today);
  const without = missingLetters(await lettersOfRoster(db, today));
  const missing = without.length > 0 ? await listWithLetters(db, today, without) : [];
  const people: PreviewPersonOf[] = [];
  const add = (id: string | null, name: string, why: PreviewPersonOf['why']): void => {
    if (!people.some((person) => person.id === id && id !== null)) people.push({ id, name, why, missing: missingLetters(name) });
  };
  for (const { id, name } of missing) add(id, name, 'letters missing');
  for (const { id, name, why } of showing) add(id, name, why as PreviewPersonOf['why']);
  if (!showing.some(({ why }) => why === 'another script')) add(null, MADE_UP['full name'], 'another script');
  return { people: people.slice(0, 6), courses: await listCertified(db), missing: missing[0]?.total ?? 0 };
}
