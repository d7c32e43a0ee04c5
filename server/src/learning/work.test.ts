import { chmodSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import request from 'supertest';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { createApp } from '../app.ts';
import { formerFiles } from '../courses/courses.repo.ts';
import { rows, transaction } from '../db/db.ts';
import { pdfOf } from '../files/convert.ts';
import { findFileHead, putFile } from '../files/files.repo.ts';
import { lookAt } from '../files/look.ts';
import { makeManifest, makePdf, makeZip } from '../files/made-files.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { findLearning, markUnitDone } from './learn.ts';
import { findPackage, keepPlace, tellPackage, tellPlayed, type By } from './work.ts';

/** What employees do in a unit beside saying that it is done. */
let house: TestHouse;
let crew: Record<string, string>;
let by: By;
let assignment: string;
let units: Record<string, string> = {};
let packageId: string;

async function keepFile(name: string, content: Buffer): Promise<string> {
  return transaction(house.db, async (client) => {
    const { id } = await putFile(client, { name, type: 'application/octet-stream', content, purpose: 'course' });
    const { type, about } = await lookAt(client, (await findFileHead(client, id))!);
    await client.query('update files set type = $2::text, about = $3::jsonb where id = $1::bigint', [id, type, JSON.stringify(about)]);
    return id;
  });
}
const unit = (title: string, kind: string, rest: object = {}) => ({ id: `new-${title.toLowerCase()}`, kind, title, required: true, weight: 1, release: null, body: null, url: null, fileId: null, quiz: null, video: null, ...rest }); // prettier-ignore

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());
beforeEach(async () => {
  for (const table of ['certificates', 'assignments', 'plans', 'course_drafts', 'courses', 'unit_work'])
    await house.db.query(`delete from ${table}`);
  const course = await makeCourse(house, crew['tora']!);
  const videoId = await keepFile('notes.txt', Buffer.from('stands for a video'));
  await house.db.query("update files set type = 'video/mp4' where id = $1::bigint", [videoId]);
  packageId = await keepFile('drill.zip', makeZip({ 'imsmanifest.xml': makeManifest('1.2', 'index.html'), 'index.html': '<p>x</p>' }));
  await republish(house, course, (content) => ({
    ...content,
    sections: [{ id: null, title: 'One', units: [unit('Film', 'video', { fileId: videoId, video: { share: 80, seconds: 100, captions: [] } }), unit('Drill', 'package', { fileId: packageId })] as never }], // prettier-ignore
  }));
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-20T12:00:00Z')) as [string];
  by = { link: await linkInto(house, assignment), signedIn: null };
  units = Object.fromEntries((await findLearning(house.deps, by.link)).sections.flatMap((section) => section.units.map(({ id, title }) => [title, id]))); // prettier-ignore
});

const elapse = (seconds: number): Promise<unknown> =>
  house.db.query(`update unit_work set told_at = told_at - interval '${seconds} seconds'`);
const events = async (type: string): Promise<unknown[]> => (await rows<{ data: unknown }>(house.db, 'select data from assignment_events where assignment_id = $1::bigint and type = $2::text', [assignment, type])).map(({ data }) => data); // prettier-ignore
const shown = async (title: string) => (await findLearning(house.deps, by.link)).sections.flatMap((section) => section.units).find((one) => one.title === title)!; // prettier-ignore

describe('a video', () => {
  const play = (played: [number, number][], at = 0) => tellPlayed(house.deps, by, units['Film']!, { played, at });

  it('is done when its share was really played, and goes on where it was left', async () => {
    await play([]);
    await elapse(60);
    expect(await play([[0, 60]], 60)).toMatchObject({ percent: 60, isDone: false });
    expect(await shown('Film')).toMatchObject({ place: { seconds: 60 }, video: { percent: 60, share: 80 }, doneAt: null });
    await elapse(30);
    expect(await play([[60, 85]], 85)).toMatchObject({ percent: 85, isDone: true, finished: false });
    expect((await shown('Film')).doneAt).not.toBeNull();
    // played again it is done once
    await elapse(90);
    await play([[0, 90]], 90);
    expect(await events('unit-finished')).toHaveLength(1);
  });

  it('that was dragged over, or told all at once, is not', async () => {
    await play([]);
    expect(await play([[0, 100]], 100)).toMatchObject({ percent: 1, isDone: false });
    await elapse(5);
    expect(await play([[0, 5], [95, 100]], 100)).toMatchObject({ isDone: false }); // prettier-ignore
  });

  it('is not done by saying so', async () => {
    await expect(markUnitDone(house.deps, by.link, units['Film']!)).rejects.toThrow('“Film” is done by playing it');
    await expect(markUnitDone(house.deps, by.link, units['Drill']!)).rejects.toThrow('“Drill” is done by going through it');
  });
});

describe('a package', () => {
  const tell = (cmi: object) => tellPackage(house.deps, by, units['Drill']!, { data: JSON.stringify(cmi) });

  it('keeps its place, and is done when it says so; its score is on the record', async () => {
    expect(await findPackage(house.deps, by, units['Drill']!)).toMatchObject({ edition: '1.2', data: null, address: expect.stringMatching(/^\/api\/packages\/.+\/index\.html$/) }); // prettier-ignore
    await tell({ core: { lesson_status: 'incomplete', lesson_location: 'p3' } });
    expect(await events('package-told')).toEqual([]);
    expect(JSON.parse((await findPackage(house.deps, by, units['Drill']!)).data!)).toMatchObject({ core: { lesson_location: 'p3' } });
    expect(await tell({ core: { lesson_status: 'passed', score: { raw: '85' } } })).toEqual({ isDone: true, finished: false });
    await tell({ core: { lesson_status: 'passed', score: { raw: '85' } } });
    expect(await events('package-told')).toMatchObject([{ unit: units['Drill'], score: 85, passed: true }]);
    expect(await events('unit-finished')).toHaveLength(1);
  });

  it('that was failed is not done', async () => {
    expect(await tell({ core: { lesson_status: 'failed', score: { raw: '20' } } })).toEqual({ isDone: false, finished: false });
    expect((await shown('Drill')).doneAt).toBeNull();
  });

  it('that was put in its place begins anew', async () => {
    await tell({ core: { lesson_status: 'incomplete', lesson_location: 'p3' } });
    const other = await keepFile('drill2.zip', makeZip({ 'imsmanifest.xml': makeManifest('2004', 'a.html'), 'a.html': '<p>x</p>' }));
    await house.db.query('update units set file_id = $1::bigint where id = $2::bigint', [other, units['Drill']]);
    expect(await findPackage(house.deps, by, units['Drill']!)).toMatchObject({ edition: '2004', data: null });
  });

  it('tells nothing that cannot be read', async () => {
    await expect(tellPackage(house.deps, by, units['Drill']!, { data: '{"a' })).rejects.toThrow('cannot be read');
  });
});

it('a file that was put in another’s place leaves it in the record', async () => {
  const { rows: found } = await house.db.query<{ id: string; course_id: string }>('select u.id, s.course_id from units u join sections s on s.id = u.section_id where u.id = $1::bigint', [units['Drill']]); // prettier-ignore
  const other = await keepFile('drill2.zip', makeZip({ 'imsmanifest.xml': makeManifest('2004', 'a.html'), 'a.html': '<p>x</p>' }));
  await republish(house, found[0]!.course_id, (content) => ({ ...content, sections: content.sections.map((section) => ({ ...section, units: section.units.map((one) => (one.id === units['Drill'] ? { ...one, fileId: other } : one)) })) })); // prettier-ignore
  const former = await formerFiles(house.db, found[0]!.course_id, units['Drill']!);
  expect(former.map(({ id, name }) => [id, name])).toEqual([[other, 'drill2.zip'], [packageId, 'drill.zip']]); // prettier-ignore
  // what people did stays, and so does the unit
  expect((await shown('Drill')).id).toBe(units['Drill']);
});

it('what stands in a unit is asked for anew, and a player goes on in nothing else', async () => {
  const app = createApp(house.deps, null);
  const at = `/api/learning/${by.link}/units/${units['Film']}/file`;
  const first = await request(app).get(at).expect(200);
  expect(first.headers['cache-control']).toBe('private, no-cache');
  await request(app).get(at).set('if-none-match', first.headers['etag']!).expect(304);
  await request(app).get(at).set('range', 'bytes=2-5').set('if-range', first.headers['etag']!).expect(206);
  // another file was put in its place: what is asked of the former is given whole
  await request(app).get(at).set('range', 'bytes=2-5').set('if-range', '"file-0"').expect(200);
});

it('finishing both finishes the course', async () => {
  await tellPlayed(house.deps, by, units['Film']!, { played: [], at: 0 });
  await elapse(100);
  await tellPlayed(house.deps, by, units['Film']!, { played: [[0, 100]], at: 100 });
  expect(await tellPackage(house.deps, by, units['Drill']!, { data: '{"core":{"lesson_status":"completed"}}' })).toEqual({ isDone: true, finished: true }); // prettier-ignore
  // afterwards it may be looked at again, and nothing is recorded twice
  await tellPlayed(house.deps, by, units['Film']!, { played: [[0, 1]], at: 1 });
  await keepPlace(house.deps, by, units['Film']!, { seconds: 3 });
  expect(await events('finished')).toHaveLength(1);
});

it('a film that is not required is watched after the course is finished, too, once, and the finish stays', async () => {
  await house.db.query('update units set required = false where id = $1::bigint', [units['Film']]);
  await house.db.query('update courses set required_units = array[$1::bigint] where id = (select course_id from assignments where id = $2::bigint)', [units['Drill'], assignment]); // prettier-ignore
  await tellPackage(house.deps, by, units['Drill']!, { data: '{"core":{"lesson_status":"completed"}}' });
  const { finishedAt } = await findLearning(house.deps, by.link);
  expect(finishedAt).not.toBeNull();
  const watch = (to: number) => tellPlayed(house.deps, by, units['Film']!, { played: [[0, to]], at: to });
  await watch(0);
  await elapse(200);
  expect(await watch(10)).toMatchObject({ isDone: false, finished: true });
  await elapse(200);
  expect(await watch(100)).toMatchObject({ isDone: true, finished: true });
  await elapse(200);
  await watch(100);
  expect((await shown('Film')).doneAt).not.toBeNull();
  expect(await events('unit-finished')).toEqual([{ unit: units['Drill'] }, { unit: units['Film'] }]);
  expect(await findLearning(house.deps, by.link)).toMatchObject({ state: 'finished', finishedAt, percent: 100 });
  expect(await events('finished')).toHaveLength(1);
});

describe('a presentation becomes a PDF', () => {
  function office(script: string): string {
    const program = join(mkdtempSync(join(tmpdir(), 'nudrik-test-')), 'office');
    writeFileSync(program, `#!/bin/sh\n${script}\n`);
    chmodSync(program, 0o755);
    return program;
  }
  async function kept(): Promise<string> {
    const id = await keepFile('notes.txt', Buffer.from('stands for a presentation'));
    await house.db.query("update files set name = 'Deck.odp', type = 'application/vnd.oasis.opendocument.presentation' where id = $1::bigint", [id]); // prettier-ignore
    return id;
  }

  it('where the program that makes it is installed', async () => {
    const made = join(mkdtempSync(join(tmpdir(), 'nudrik-test-')), 'made.pdf');
    writeFileSync(made, await makePdf(4));
    house.deps.settings.office = office(`for last; do :; done; cp ${made} "$(dirname "$last")/file.pdf"`);
    expect(await pdfOf(house.deps, await kept(), AT_ONCE)).toMatchObject({
      name: 'Deck.pdf',
      type: 'application/pdf',
      about: { pages: 4 },
    });
  });

  it('and is told where it cannot be made', async () => {
    house.deps.settings.office = office('exit 1');
    await expect(pdfOf(house.deps, await kept(), AT_ONCE)).rejects.toThrow('Deck.odp: LibreOffice could not read it. It stays a download');
    house.deps.settings.office = '/nowhere/office';
    await expect(pdfOf(house.deps, await kept(), AT_ONCE)).rejects.toThrow('LibreOffice is not installed');
  });
});
