import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { CourseDraft, RequirementDraft, type CourseInput } from '@nudrik/contract';
import { oneRow, rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { addRequirement, switchOff, switchOn } from '../requirements/change.ts';
import { findRequirementRow } from '../requirements/facts.ts';
import { previewAssign } from '../assignments/preview.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { findCourse } from './courses.repo.ts';
import { copyCourse, createCourse, dropDraft, faultsOf, readDraft, saveDraft } from './draft.ts';
import { seeEditor } from './draft.repo.ts';
import { goLive, liveView, retireCourse, takeUp } from './live.ts';
import { previewPublish, publishCourse } from './publish.ts';

let house: TestHouse;
let crew: Record<string, string>;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());

const page = (title: string, rest: Partial<CourseInput['sections'][number]['units'][number]> = {}) => ({ kind: 'page' as const, title, body: '<p>Read.</p>', ...rest }); // prettier-ignore
const written = (title: string, ...units: CourseInput['sections'][number]['units']): CourseDraft =>
  CourseDraft.parse({
    title,
    summary: 'In short.',
    ownerId: crew['tora'],
    certificate: 'issued',
    validity: { count: 12, unit: 'months', toMonthEnd: false },
    sections: [{ title: 'One', units }],
  });
const save = async (course: string, content: CourseDraft, version?: number, key: string = randomUUID(), byWhom = 'Tora Aske') =>
  saveDraft(house.deps, course, { version: version ?? (await readDraft(house.db, course)).version, save: key, content }, byWhom);
const unitsOf = (content: CourseDraft) => content.sections.flatMap(({ units }) => units);

describe('what is written', () => {
  let course: string;
  beforeAll(async () => {
    course = await createCourse(house.deps, written('Night Watch', page('A')), 'Tora Aske');
  });

  it('is kept with what it lacks, and says so', async () => {
    const { content } = await readDraft(house.db, course);
    const { faults } = await save(course, { ...content, sections: [{ id: null, title: '', units: [{ ...unitsOf(content)[0]!, title: '' }, ...unitsOf(written('', { kind: 'link', title: 'Rules' }))] }] }); // prettier-ignore
    expect(faults.map(({ words }) => words)).toEqual([
      'Section 1 has no title.',
      'Unit 1 of “section 1” has no title.',
      '“Rules” is a link and needs a web address beginning with http:// or https://.',
    ]);
  });

  it('gives each new unit an id at once, by which others wait for it', async () => {
    const content = written(
      'Night Watch',
      page('A', { id: 'new-a' }),
      page('B', { id: 'new-b', release: { kind: 'finished', unit: 'new-a' } }),
    );
    const { ids } = await save(course, content);
    const [a, b] = unitsOf((await readDraft(house.db, course)).content);
    expect([ids['new-a'], ids['new-b'], b!.release]).toEqual([a!.id, b!.id, { kind: 'finished', unit: a!.id }]);
    // of a course that is not live it is what the course is
    expect((await findCourse(house.db, course))!.sections[0]!.units.map(({ id, title }) => [id, title])).toEqual([
      [a!.id, 'A'],
      [b!.id, 'B'],
    ]);
  });

  it('may come again, where its answer was lost', async () => {
    const key = randomUUID();
    const { content, version } = await readDraft(house.db, course);
    const more = {
      ...content,
      sections: [{ ...content.sections[0]!, units: [...unitsOf(content), ...unitsOf(written('', page('C', { id: 'new-c' })))] }],
    };
    const first = await save(course, more, version, key);
    expect(await save(course, more, version, key)).toEqual(first);
    expect(unitsOf((await readDraft(house.db, course)).content)).toHaveLength(3);
  });

  it('over a newer one is refused, and nothing of either is lost', async () => {
    const { content, version } = await readDraft(house.db, course);
    await save(course, { ...content, summary: 'Of Odd' }, version, randomUUID(), 'Odd Aske');
    await expect(save(course, { ...content, summary: 'Of Tora' }, version)).rejects.toThrow(`Version ${version + 1} of “Night Watch” as it is written was saved by Odd Aske on Mon 1 Mar 10:30 while you worked on version ${version}.`); // prettier-ignore
    expect((await readDraft(house.db, course)).content.summary).toBe('Of Odd');
  });

  it('takes in no unit of another course: a copy has a life of its own', async () => {
    const copy = await copyCourse(house.deps, course, 'Night Watch, the second', 'Tora Aske');
    const [mine, other] = [(await readDraft(house.db, course)).content, (await readDraft(house.db, copy)).content];
    expect(unitsOf(other).map(({ title }) => title)).toEqual(unitsOf(mine).map(({ title }) => title));
    expect(unitsOf(other)[1]!.release).toEqual({ kind: 'finished', unit: unitsOf(other)[0]!.id });
    await save(copy, { ...other, sections: [{ id: mine.sections[0]!.id, title: 'Taken', units: unitsOf(mine) }] });
    expect(unitsOf((await readDraft(house.db, copy)).content).some(({ id }) => unitsOf(mine).some((unit) => unit.id === id))).toBe(false);
    expect(unitsOf((await readDraft(house.db, course)).content)).toEqual(unitsOf(mine));
  });

  it('may be called as it likes, and goes live only with a name of its own', async () => {
    const { content } = await readDraft(house.db, course);
    const { faults } = await save(course, { ...content, title: 'night watch, THE second' });
    expect(faults[0]!.words).toContain('There is a course called “Night Watch, the second” already');
    expect((await findCourse(house.db, course))!.title).toBe('Night Watch');
    await save(course, { ...content, title: 'Night Watch' });
  });

  it('tells who else has it open, until they are gone', async () => {
    const account = async (name: string) =>
      (await oneRow<{ id: string }>(house.db, "insert into accounts (email, name, role) values ($1 || '@orlasund.example', $1, 'trainer') returning id", [name])).id; // prettier-ignore
    const [odd, kari] = [await account('odd'), await account('kari')];
    expect(await seeEditor(house.db, course, odd)).toEqual([]);
    expect((await seeEditor(house.db, course, kari)).map(({ name }) => name)).toEqual(['odd']);
    await house.db.query("update course_editors set seen_at = seen_at - interval '1 minute' where account_id = $1::bigint", [odd]);
    expect(await seeEditor(house.db, course, kari)).toEqual([]);
  });

  it('is waited for by nobody before it is live', async () => {
    const request = {
      courseId: course,
      personIds: [crew['runa']!],
      departments: [],
      sites: [],
      groups: [],
      dueOn: '2027-04-01',
      dueTime: '17:00',
    };
    await expect(previewAssign(house.deps, request as never)).rejects.toThrow(
      'Night Watch is a draft: nobody can be asked for it before it goes live.',
    );
  });
});

describe('going live', () => {
  let course: string;
  beforeAll(async () => {
    course = await createCourse(house.deps, CourseDraft.parse({ title: 'Hot Work', sections: [{ title: 'One', units: [page('A', { required: false })] }] }), 'Tora Aske'); // prettier-ignore
  });
  const missing = async () => (await liveView(house.deps, course)).checks.filter(({ isMet }) => !isMet).map(({ words, isNeeded }) => `${isNeeded ? '' : '(may) '}${words}`); // prettier-ignore

  it('says in words what is missing, what must be and what may', async () => {
    await house.db.query("update plans set steps = jsonb_set(jsonb_set(steps, '{0,message,body}', '\"Hello {colour}\"'), '{0,on}', 'true') where course_id = $1::bigint", [course]); // prettier-ignore
    expect(await missing()).toEqual([
      'No unit is required, so nobody could finish it: mark at least one as required.',
      expect.stringContaining('{colour}'),
      'Nobody decided whether finishing is certified: issue one, or say that there is none.',
      '(may) It has no owner: replies reach nobody who knows it.',
      '(may) Nobody is asked for it yet: write a requirement that goes on with it, or assign it once it is live.',
    ]);
    await expect(goLive(house.deps, course, 0, 'Sigrid Aune')).rejects.toThrow(/No unit is required.*It did not go live\./);
    expect((await findCourse(house.db, course))!.state).toBe('draft');
  });

  it('not while a message of its plan would print what the course lacks', async () => {
    const bare = await createCourse(house.deps, CourseDraft.parse({ title: 'Rope Work', certificate: 'none', ownerId: crew['tora'], sections: [{ title: 'One', units: [page('A')] }] }), 'Tora Aske'); // prettier-ignore
    const { checks } = await liveView(house.deps, bare);
    expect(checks.filter(({ isMet, isNeeded }) => isNeeded && !isMet).map(({ words }) => words)).toEqual([
      '“Invitation” prints the summary of the course, and it has none: the message would be held.',
    ]);
  });

  it('switches on what waits for it, in the same moment', async () => {
    await house.db.query("update plans set steps = jsonb_set(steps, '{0,message,body}', '\"Hello\"') where course_id = $1::bigint", [
      course,
    ]);
    const { id: office } = await oneRow<{ id: string }>(house.db, "select id from departments where name = 'Office'", []);
    const { id } = await addRequirement(
      house.deps,
      RequirementDraft.parse({
        name: 'Hot work for deck',
        courseId: course,
        audience: { not: { department: [office], below: true } },
        due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' },
        dueTime: '17:00',
        graceDays: 7,
        creditMonths: null,
        renewal: null,
        from: null,
        until: null,
        takesJoiners: true,
        whenOut: 'ask',
      }),
      'Sigrid Aune',
    );
    expect(await switchOn(house.deps, id, 1, 'Sigrid Aune')).toMatchObject({ assigned: 0 });
    expect(await findRequirementRow(house.db, id)).toMatchObject({ is_on: false, on_with_course: true });
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, 'select id from assignments where course_id = $1::bigint', [course])).toEqual([]);
    await expect(switchOn(house.deps, id, 2, 'Sigrid Aune')).rejects.toThrow('waits for Hot Work to go live already');
    await switchOff(house.deps, id, 2, 'keep', 'Sigrid Aune');
    await switchOn(house.deps, id, 3, 'Sigrid Aune');
    const { version } = await save(course, written('Hot Work', page('A')));
    expect(await missing()).toEqual([]);
    await expect(goLive(house.deps, course, version - 1, 'Sigrid Aune')).rejects.toThrow('as it is written was saved');
    expect(await goLive(house.deps, course, version, 'Sigrid Aune')).toEqual({
      requirements: [{ name: 'Hot work for deck', assigned: 4 }],
    });
    expect(await findRequirementRow(house.db, id)).toMatchObject({ is_on: true, on_with_course: false });
    expect(await findCourse(house.db, course)).toMatchObject({ state: 'live', liveBy: 'Sigrid Aune', draft: null });
    await expect(goLive(house.deps, course, version + 1, 'Sigrid Aune')).rejects.toThrow('Hot Work is live already');
  });

  it('and retiring asks nobody new: those under way go on or are withdrawn, and it can be taken up again', async () => {
    const states = async () => (await rows<{ state: string; count: number }>(house.db, "select coalesce(closed_by, 'open') as state, count(*)::integer as count from assignments where course_id = $1::bigint group by 1", [course])).map(({ state, count }) => `${count} ${state}`); // prettier-ignore
    expect(await states()).toEqual(['4 open']);
    await expect(retireCourse(house.deps, (await makeCourse(house, null, undefined, 'Other')) + '0', { open: 'go-on', reason: null }, 'S')).rejects.toThrow('There is no such course'); // prettier-ignore
    expect(await retireCourse(house.deps, course, { open: 'go-on', reason: null }, 'Sigrid Aune')).toEqual({ withdrawn: 0 });
    await drain(house.deps, house.mailer);
    expect(await states()).toEqual(['4 open']);
    await expect(save(course, written('Hot Work', page('B')))).rejects.toThrow('Hot Work is retired');
    await takeUp(house.deps, course, 'Sigrid Aune');
    expect(await retireCourse(house.deps, course, { open: 'withdraw', reason: 'A new one takes its place.' }, 'Sigrid Aune')).toEqual({
      withdrawn: 4,
    });
    await drain(house.deps, house.mailer);
    expect(await states()).toEqual(['4 withdrawn']);
    const { id, version } = await oneRow<{ id: string; version: number }>(house.db, 'select id, version from requirements', []);
    await expect(switchOn(house.deps, id, version, 'Sigrid Aune')).rejects.toThrow('Hot Work is retired, and nobody new is asked for it.');
  });
});

describe('publishing what changed in a live course', () => {
  let course: string;
  let ids: string[];
  beforeAll(async () => {
    course = await makeCourse(house, crew['tora']!, undefined, 'Safe Lifting');
    ids = await assignAt(house, course, [crew['runa']!, crew['per']!, crew['odd']!], '2027-03-19T16:00:00Z');
    const [first, second] = (await findCourse(house.db, course))!.sections[0]!.units;
    await markUnitDone(house.deps, await linkInto(house, ids[0]!), first!.id);
    for (const unit of [first, second]) await markUnitDone(house.deps, await linkInto(house, ids[2]!), unit!.id);
  });

  it('reaches nobody before it is published', async () => {
    const { content } = await readDraft(house.db, course);
    await save(course, { ...content, title: 'Lifting Safely', sections: [{ ...content.sections[0]!, units: [unitsOf(content)[0]!, { ...unitsOf(content)[1]!, required: false }] }] }); // prettier-ignore
    expect(await findCourse(house.db, course)).toMatchObject({ title: 'Safe Lifting', draft: { savedBy: 'Tora Aske' } });
    expect((await findLearning(house.deps, await linkInto(house, ids[0]!))).unitsRequired).toBe(2);
  });

  it('shows what it means for those under way, and then does just that', async () => {
    expect(await previewPublish(house.deps, course)).toMatchObject({
      faults: [],
      changes: ['Title: “Safe Lifting” becomes “Lifting Safely”.', 'Finished when: “all 2 required units are done” becomes “the one required unit is done”.', '“Second” is optional now.'],
      underWay: 2, more: 1, less: 0, same: 1, finishing: { count: 1, people: ['Runa Aske'] }, finished: 1, closing: 0,
      people: [{ name: 'Runa Aske', before: '1 of 2 units, 50 %', after: '1 of 1 unit, 100 %' }, { name: 'Per Aske', before: '0 of 2 units, 0 %', after: '0 of 1 unit, 0 %' }],
    }); // prettier-ignore
    const { version } = await readDraft(house.db, course);
    await expect(publishCourse(house.deps, course, version - 1, 'Tora Aske')).rejects.toThrow('as it is written was saved');
    expect(await publishCourse(house.deps, course, version, 'Tora Aske')).toEqual({ version: 2, finished: 1 });
    const learning = await findLearning(house.deps, await linkInto(house, ids[0]!));
    expect([learning.state, learning.percent, learning.certificate === null]).toEqual(['finished', 100, false]);
    await expect(publishCourse(house.deps, course, version, 'Tora Aske')).rejects.toThrow('as it is written was saved');
  });

  it('a finish stays, whatever more is asked for', async () => {
    await republish(house, course, (content) => ({ ...content, sections: [{ ...content.sections[0]!, units: [...unitsOf(content), ...unitsOf(written('', page('Third')))] }] })); // prettier-ignore
    expect((await findLearning(house.deps, await linkInto(house, ids[2]!))).state).toBe('finished');
    expect(await findLearning(house.deps, await linkInto(house, ids[1]!))).toMatchObject({
      unitsRequired: 2,
      finishWords: 'all 2 required units are done',
    });
  });

  it('what is wrong is refused by name and stays as it is written', async () => {
    const { content } = await readDraft(house.db, course);
    const [a, b] = unitsOf(content);
    const { version } = await save(course, { ...content, sections: [{ ...content.sections[0]!, units: [{ ...a!, release: { kind: 'finished', unit: b!.id! } }, { ...b!, release: { kind: 'finished', unit: a!.id! } }] }] }); // prettier-ignore
    await expect(publishCourse(house.deps, course, version, 'Tora Aske')).rejects.toThrow('“First” waits for “Second”, “Second” waits for “First”: none of them can ever open. Nothing was published.'); // prettier-ignore
    await dropDraft(house.deps, course);
    expect(await faultsOf(house.db, course, (await readDraft(house.db, course)).content)).toEqual([]);
  });

  it('without a certificate, on purpose, finishing issues none', async () => {
    const plain = await makeCourse(house, null, undefined, 'Port Rules');
    await republish(house, plain, (content) => ({ ...content, certificate: 'none', finish: { kind: 'some', units: 1 } }));
    const [id] = await assignAt(house, plain, [crew['runa']!], '2027-03-19T16:00:00Z');
    const link = await linkInto(house, id!);
    const [, second] = (await findCourse(house.db, plain))!.sections[0]!.units;
    expect(await findLearning(house.deps, link)).toMatchObject({ unitsRequired: 1, percent: 0 });
    expect(await markUnitDone(house.deps, link, second!.id)).toEqual({ finished: true });
    expect(await findLearning(house.deps, link)).toMatchObject({ unitsDone: 1, unitsRequired: 1, percent: 100, certificate: null });
  });

  test.each(['unpublished', 'published'])(
    'two publish at once, or one publishes while somebody finishes: one wins, nothing is done twice (%s)',
    async (which) => {
      const { content, version } = await readDraft(house.db, course);
      const tries = which === 'published' ? [version, version] : [(await save(course, { ...content, summary: 'x' })).version];
      const results = await Promise.allSettled([...tries, ...tries].map((of) => publishCourse(house.deps, course, of, 'Tora Aske')));
      expect(results.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
    },
  );
});
