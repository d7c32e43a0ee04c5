import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep, type Release } from '@nudrik/core';
import { rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, republish, TestMailer, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { AssignRequest } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { previewAssign } from '../assignments/preview.ts';
import { readDraft, saveDraft } from './draft.ts';
import { nextOpeningAt } from './openings.repo.ts';
import { seeOpenings } from './openings.ts';
import { previewPublish } from './publish.ts';

const NOW_OPEN: PlanStep = {
  ...STANDARD_PLAN[0]!, id: 'now-open', name: 'Now open', kind: 'onboarding', anchor: { event: 'unit-opened' }, offset: { amount: 0, unit: 'days' }, at: null,
  message: { subject: 'Something new in {course}', body: '<p>Hello {given name}, there is more now.</p>', button: 'Open the course' },
}; // prettier-ignore

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let ids: string[];
let units: string[];
const at = (iso: string): void => void (house.clock.at = Date.parse(iso));
const play = () => drain(house.deps, house.mailer);
const opened = async (assignment = ids[0]!) =>
  (await rows<{ unit: string; at: Date }>(house.db, "select data ->> 'unit' as unit, at from assignment_events where assignment_id = $1::bigint and type = 'unit-opened' order by at, id", [assignment])).map((row) => `${units.indexOf(row.unit)} ${row.at.toISOString().slice(0, 16)}`); // prettier-ignore
const planned = async (person: string) =>
  (await rows<{ anchor_revision: number; at: Date; state: string }>(house.db, "select n.revision as anchor_revision, n.at, n.state from notices n where step_id = 'now-open' and person_id = $1::bigint order by n.at, n.revision", [crew[person]])).map((row) => `${row.anchor_revision} ${row.at.toISOString().slice(0, 16)} ${row.state}`); // prettier-ignore
const release = async (...list: (Release | null)[]) =>
  republish(house, course, (content) => ({
    ...content,
    sections: content.sections.map((section) => ({
      ...section,
      units: section.units.map((unit, i) => ({ ...unit, release: list[i] ?? null })),
    })),
  }));

beforeAll(async () => {
  house = await openTestHouse(); // Mon 1 Mar 2027, 10:30 in Oslo
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!, [NOW_OPEN]);
  await republish(house, course, (content) => ({
    ...content,
    sections: content.sections.map((section) => ({ ...section, units: [...section.units, { ...section.units[0]!, id: null, title: 'Third' }, { ...section.units[0]!, id: null, title: 'Fourth' }] })),
  })); // prettier-ignore
  units = (await readDraft(house.db, course)).content.sections[0]!.units.map(({ id }) => id!);
  await release(
    null,
    { kind: 'weekday', weekday: 1, nth: 1, at: '08:00' },
    { kind: 'finished', unit: units[0]! },
    { kind: 'weekday', weekday: 1, nth: 4, at: '08:00' },
  );
  // Kari is in London, Runa in Oslo
  ids = await assignAt(house, course, [crew['runa']!, crew['kari']!], '2027-05-19T16:00:00Z');
  await play();
});
afterAll(() => house.close());

describe('units open in time', () => {
  it('"now open" stands in the ledger before anything has opened, each in the zone of its reader', async () => {
    expect(await opened()).toEqual([]);
    expect(await planned('runa')).toEqual(['0 2027-03-08T07:00 planned', '1 2027-03-30T06:00 planned']);
    expect(await planned('kari')).toEqual(['0 2027-03-08T08:00 planned', '1 2027-03-30T07:00 planned']);
    expect(new Date((await nextOpeningAt(house.db))!).toISOString()).toBe('2027-03-08T07:00:00.000Z');
  });

  it('the employee sees when, and gets nothing of it before', async () => {
    const link = await linkInto(house, ids[0]!);
    const list = (await findLearning(house.deps, link)).sections[0]!.units;
    expect(list.map(({ opens, body }) => [opens, body === null])).toEqual([
      [null, false],
      ['opens Mon 8 Mar 08:00', true],
      ['opens when “First” is finished', true],
      ['opens Mon 29 Mar 08:00', true],
    ]);
    await expect(markUnitDone(house.deps, link, units[1]!)).rejects.toThrow('This unit is not open yet: it opens Mon 8 Mar 08:00.');
    await expect(markUnitDone(house.deps, link, units[2]!)).rejects.toThrow('it opens when “First” is finished');
  });

  it('and it is an event at its moment', async () => {
    at('2027-03-08T07:00:00Z');
    await play();
    expect(await opened()).toEqual(['1 2027-03-08T07:00']);
    expect(await opened(ids[1]!)).toEqual([]);
    expect(house.mailer.letters.map((letter) => letter.toAddress)).toEqual(['runa@orlasund.example']);
    expect(await planned('runa')).toEqual(['0 2027-03-08T07:00 sent', '1 2027-03-30T06:00 planned']);
    at('2027-03-08T08:00:00Z');
    await play();
    expect(await opened(ids[1]!)).toEqual(['1 2027-03-08T08:00']);
  });

  it('when another is finished: at that moment, and what comes later keeps its place', async () => {
    at('2027-03-09T10:17:00Z');
    await markUnitDone(house.deps, await linkInto(house, ids[0]!), units[0]!);
    await play();
    expect(await opened()).toEqual(['1 2027-03-08T07:00', '2 2027-03-09T10:17']);
    expect(await planned('runa')).toEqual(['0 2027-03-08T07:00 sent', '1 2027-03-09T10:17 sent', '2 2027-03-30T06:00 planned']);
    await markUnitDone(house.deps, await linkInto(house, ids[0]!), units[2]!);
  });

  it('over the change of clocks, and while nobody worked: at its own moment all the same, and once', async () => {
    house.mailer = new TestMailer();
    // 29 March is Easter Monday: the unit opens, and the letter waits for the working day
    at('2027-03-30T09:00:00Z');
    await play();
    expect((await opened()).at(-1)).toBe('3 2027-03-29T06:00');
    expect(await opened(ids[1]!)).toEqual(['1 2027-03-08T08:00', '3 2027-03-29T07:00']);
    await play();
    expect(house.mailer.letters.map((letter) => letter.toAddress).sort()).toEqual(['kari@orlasund.example', 'runa@orlasund.example']);
    expect(await nextOpeningAt(house.db)).toBeNull();
  });

  it('what is open stays open; what opens later now is told before it is published', async () => {
    const [late] = await assignAt(house, course, [crew['per']!], '2027-05-19T16:00:00Z');
    await play();
    const { content, version } = await readDraft(house.db, course);
    expect(version).toBeGreaterThan(0);
    await release(null, null, null, { kind: 'on', date: '2027-06-01', at: '08:00' });
    await play();
    const opens = async (id: string) =>
      (await findLearning(house.deps, await linkInto(house, id))).sections[0]!.units.map((unit) => unit.opens);
    expect(await opens(ids[0]!)).toEqual([null, null, null, null]);
    expect(await opens(late!)).toEqual([null, null, null, 'opens Tue 1 Jun 08:00']);
    const now = await readDraft(house.db, course);
    await saveDraft(house.deps, course, { version: now.version, save: 'a later one', content: { ...content, sections: [{ ...now.content.sections[0]!, units: now.content.sections[0]!.units.map((unit, i) => (i === 1 ? { ...unit, release: { kind: 'on', date: '2027-07-01', at: '08:00' } } : unit)) }] } }, 'Tora'); // prettier-ignore
    const preview = await previewPublish(house.deps, course);
    // Per had the second unit open at once; the others were told that it opened, and keep it
    expect(preview).toMatchObject({ closing: 1 });
    expect(preview.changes).toContain('“Second” opens on 1 Jul 2027, 08:00 instead of at once.');
  });

  it('nothing opens any more for who is withdrawn', async () => {
    await house.db.query("update openings set opens_at = '2027-04-01T06:00:00Z'");
    const [per] = await rows<{ id: string }>(house.db, 'select id from assignments where person_id = $1::bigint', [crew['per']]);
    await close(
      house.deps,
      'withdrawn',
      { assignmentIds: [per!.id], reason: 'No longer aboard.', told: null, until: null } as never,
      'Sigrid Aune',
    );
    await play();
    expect(await rows(house.db, 'select * from openings')).toEqual([]);
  });

  it('real dates for a real person, before anything is published', async () => {
    const { content } = await readDraft(house.db, course);
    const [first, second, third, fourth] = content.sections[0]!.units;
    const look = {
      ...content,
      sections: [{ id: null, title: 'One', units: [first!, { ...second!, release: { kind: 'after' as const, amount: 2, unit: 'working days' as const, at: '08:00' } }, { ...third!, release: { kind: 'passed' as const, unit: first!.id! } }, { ...fourth!, release: null }] }],
    }; // prettier-ignore
    expect(await seeOpenings(house.deps, course, { content: look, personId: crew['kari']!, assignedAt: null })).toEqual({
      person: { id: crew['kari'], name: 'Kari Aske', zone: 'Europe/London' },
      assignedAt: '2027-03-01T09:30:00.000Z',
      isAssigned: true,
      units: [{ id: first!.id, words: 'at once' }, { id: second!.id, words: 'Wed 3 Mar 08:00' }, { id: third!.id, words: 'when “First” is passed' }, { id: fourth!.id, words: 'at once' }],
    }); // prettier-ignore
    const odd = await seeOpenings(house.deps, course, { content: look, personId: crew['odd']!, assignedAt: '2027-04-05T08:00:00Z' });
    expect([odd.isAssigned, odd.units[1]!.words]).toEqual([false, 'Wed 7 Apr 08:00']);
  });

  it('who would be assigned is told of each opening before anybody is', async () => {
    await release(null, { kind: 'after', amount: 2, unit: 'working days', at: '08:00' }, null, null);
    house.clock.at = Date.parse('2027-04-05T08:00:00Z');
    const request = {
      courseId: course,
      personIds: [crew['odd']!],
      departments: [],
      sites: [],
      groups: [],
      dueOn: '2027-05-19',
      dueTime: '17:00',
    };
    const preview = await previewAssign(house.deps, AssignRequest.parse(request));
    expect(JSON.stringify(preview)).toContain('Wed 7 Apr 08:00');
  });
});
