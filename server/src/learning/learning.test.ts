import request from 'supertest';
import type { Express } from 'express';
import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import { createApp } from '../app.ts';
import { close } from '../assignments/change.ts';
import { verify } from '../certificates/certificates.repo.ts';
import { findCourse } from '../courses/courses.repo.ts';
import { CourseDraft, type CourseInput } from '@nudrik/contract';
import { createCourse } from '../courses/draft.ts';
import { cleanPage } from '../courses/page.ts';
import { rows } from '../db/db.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openMailSink, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { findLearning, listMyTraining, markUnitDone, startLearning } from './learn.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let app: Express;
let link: string;
let assignment: string;

beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  app = createApp(house.deps, null);
});
afterAll(() => house.close());
beforeEach(async () => {
  await house.db.query('truncate notices, replan, assignment_events, certificates, assignments restart identity cascade');
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  link = await linkInto(house, assignment);
});
const units = async (): Promise<string[]> =>
  (await findLearning(house.deps, link)).sections.flatMap((section) => section.units.map(({ id }) => id));

describe('behind the personal link', () => {
  it('shows dates in the person’s zone, the units, and how far one is', async () => {
    await house.db.query('update settings set replies_to_trainer = true');
    const view = await findLearning(house.deps, link);
    expect(view).toMatchObject({
      person: 'Runa Aske',
      state: 'not started',
      unitsDone: 0,
      unitsRequired: 2,
      zone: 'Europe/Oslo',
      trainer: 'Tora Aske',
      certificate: null,
    });
    expect(view.sections[0]!.units.map(({ title, doneAt }) => [title, doneAt])).toEqual([
      ['First', null],
      ['Second', null],
    ]);
  });

  it('is ended by asking for a new one, which goes to its own person alone', async () => {
    const sink = await openMailSink();
    house.deps.settings.smtpUrl = sink.url;
    const renew = () => request(app).post(`/api/learning/${link}/renew`).set('x-csrf-token', 'none').send({});
    sink.isOpen = false;
    await renew().expect(503);
    await findLearning(house.deps, link); // where the mail was not taken the link stays
    sink.isOpen = true;
    // twice at once: one new link
    const statuses = (await Promise.all([renew(), renew()])).map(({ status }) => status).sort();
    expect(statuses).toEqual([200, 404]);
    expect(sink.mails).toHaveLength(1);
    expect(sink.mails[0]).toMatch(/To: .*runa@orlasund\.example/);
    await expect(findLearning(house.deps, link)).rejects.toMatchObject({ code: 'wrong-link' });
    const fresh = /\/go\/([\w-]{48})/.exec(sink.mails[0]!)![1]!;
    expect(await findLearning(house.deps, fresh)).toMatchObject({ person: 'Runa Aske' });
    await renew().expect(404);
    await sink.close();
  });

  it('is started once, by the first unit that is opened', async () => {
    await startLearning(house.deps, link);
    await startLearning(house.deps, link);
    expect(await rows(house.db, "select 1 from assignment_events where type = 'started'")).toHaveLength(1);
    expect((await findLearning(house.deps, link)).state).toBe('in progress');
  });

  it('a unit marked twice is done once', async () => {
    const [first] = await units();
    await markUnitDone(house.deps, link, first!);
    await markUnitDone(house.deps, link, first!);
    expect(await rows(house.db, "select 1 from assignment_events where type = 'unit-finished'")).toHaveLength(1);
    expect((await findLearning(house.deps, link)).unitsDone).toBe(1);
  });

  it('two browsers at once finish it once', async () => {
    const [first, second] = await units();
    await markUnitDone(house.deps, link, first!);
    await Promise.all([
      markUnitDone(house.deps, link, second!),
      markUnitDone(house.deps, link, second!),
      markUnitDone(house.deps, link, first!),
    ]);
    expect(await rows(house.db, 'select 1 from certificates')).toHaveLength(1);
    expect(await rows(house.db, "select 1 from assignment_events where type = 'finished'")).toHaveLength(1);
  });

  it('refuses a unit of another course, and what is no longer asked', async () => {
    await expect(markUnitDone(house.deps, link, '999')).rejects.toMatchObject({ code: 'not-found' });
    await close(
      house.deps,
      'withdrawn',
      { assignmentIds: [assignment], reason: 'asked to be rid of it', told: 'You work ashore now.', until: null },
      'Sigrid Aune',
    );
    await expect(markUnitDone(house.deps, link, (await units())[0]!)).rejects.toThrow('no longer asked of you: it was withdrawn');
    expect((await findLearning(house.deps, link)).closedReason).toBe('You work ashore now.');
  });

  it('gives the certificate as a PDF after finishing and not before', async () => {
    const early = await request(app).get(`/api/learning/${link}/certificate`).expect(404);
    expect(early.body.message).toContain('it comes with finishing');
    for (const unit of await units()) await markUnitDone(house.deps, link, unit);
    const pdf = await request(app).get(`/api/learning/${link}/certificate`).expect(200);
    expect(pdf.headers['content-type']).toBe('application/pdf');
    const mine = await listMyTraining(house.deps, crew['runa']!, '2027-03-01');
    expect(mine.assignments[0]).toMatchObject({
      token: link,
      state: 'finished',
      certificate: { state: 'current', expiresOn: '2028-03-01' },
    });
  });
});

describe('verifying', () => {
  test.each([
    ['genuine', '2027-03-02', 'genuine'],
    ['genuine on its last day', '2028-03-01', 'genuine'],
    ['expired the day after', '2028-03-02', 'expired'],
  ])('answers %s', async (_, today, answer) => {
    for (const unit of await units()) await markUnitDone(house.deps, link, unit);
    const [{ serial }] = (await rows<{ serial: string }>(house.db, 'select serial from certificates')) as [{ serial: string }];
    const found = await verify(house.db, serial.toLowerCase().replace(/-/g, ''), today);
    expect(found).toEqual({
      answer,
      serial,
      name: 'Runa Aske',
      course: 'Fire Teams Aboard',
      issuedOn: '2027-03-01',
      expiresOn: '2028-03-01',
      organisation: 'Orlasund Ferries',
    });
    await house.db.query('update certificates set revoked_at = now()');
    expect((await verify(house.db, serial, today)).answer).toBe('revoked');
  });

  it('keeps the name and the title as they were', async () => {
    for (const unit of await units()) await markUnitDone(house.deps, link, unit);
    await house.db.query("update people set name = 'Runa Brandal' where name = 'Runa Aske'");
    const [{ serial }] = (await rows<{ serial: string }>(house.db, 'select serial from certificates')) as [{ serial: string }];
    expect(await verify(house.db, serial, '2027-03-02')).toMatchObject({ name: 'Runa Aske' });
    await house.db.query("update people set name = 'Runa Aske' where name = 'Runa Brandal'");
  });
});

describe('a course', () => {
  const page = (title: string, rest: object = {}) => ({
    id: null,
    kind: 'page' as const,
    title,
    required: true,
    body: '<p>x</p>',
    url: null,
    fileId: null,
    ...rest,
  });
  const draft = (title: string, sections: CourseInput['sections']) => CourseDraft.parse({ title, sections });

  it('comes with a plan of its own', async () => {
    const id = await createCourse(house.deps, draft('Night Watch', [{ id: null, title: 'One', units: [page('A')] }]), 'Sigrid Aune');
    const [plan] = await rows<{ version: number; steps: { id: string }[] }>(
      house.db,
      'select version, steps from plans where course_id = $1::bigint',
      [id],
    );
    expect([plan!.version, plan!.steps.length]).toEqual([1, 6]);
  });

  it('keeps a unit’s id, and so everyone’s progress, wherever it is moved', async () => {
    const view = (await findCourse(house.db, course))!;
    const [first, second] = view.sections[0]!.units;
    await markUnitDone(house.deps, link, first!.id!);
    await republish(house, course, (content) => ({
      ...content,
      sections: [
        { id: null, title: 'New', units: [second!] },
        { ...view.sections[0]!, units: [first!] },
      ],
    }));
    const after = (await findCourse(house.db, course))!;
    expect(after.sections.map(({ title, units: list }) => [title, list.map(({ id }) => id)])).toEqual([
      ['New', [second!.id]],
      ['One', [first!.id]],
    ]);
    expect((await findLearning(house.deps, link)).unitsDone).toBe(1);
  });

  it('asks for the required units only', async () => {
    await republish(house, course, (content) => {
      const [first, second] = content.sections.flatMap(({ units }) => units);
      return { ...content, sections: [{ id: null, title: 'One', units: [first!, { ...second!, required: false }] }] };
    });
    const required = (await findCourse(house.db, course))!.sections[0]!.units[0]!.id!;
    expect(await markUnitDone(house.deps, link, required)).toEqual({ finished: true });
  });

  test.each([
    ['the same title', 'Night Watch', null, 'There is a course called “Night Watch” already'],
    ['the same code', 'Other', 'SAF-1', 'The code SAF-1 belongs to “Night Watch”'],
  ])('refuses %s in a sentence', async (_, title, code, words) => {
    await house.db.query("update courses set code = 'SAF-1' where title = 'Night Watch'");
    await expect(createCourse(house.deps, { ...draft(title, []), code }, 'Sigrid Aune')).rejects.toThrow(words);
  });

  test.each([
    ['a script', '<p>Hi<script>alert(1)</script></p>', '<p>Hi</p>'],
    ['an event', '<p onclick="x()">Hi</p>', '<p>Hi</p>'],
    ['a link that runs', '<a href="javascript:x()">Hi</a>', '<a rel="noopener noreferrer" target="_blank">Hi</a>'],
    ['nothing that the editor makes', '<h2>A</h2><ul><li><strong>B</strong></li></ul>', '<h2>A</h2><ul><li><strong>B</strong></li></ul>'],
  ])('a page loses %s', (_, html, clean) => expect(cleanPage(html)).toBe(clean));
});
