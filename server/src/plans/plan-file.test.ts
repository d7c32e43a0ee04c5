import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep } from '@nudrik/core';
import { PlanFile } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { checkPlan, planFile, readPlanText, takePlanFile } from './plan-file.ts';

let house: TestHouse;
let course: string;
let ids: Record<string, string>;
beforeAll(async () => {
  house = await openTestHouse();
  const crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  const one = async (sql: string): Promise<string> => (await rows<{ id: string }>(house.db, sql))[0]!.id;
  await house.db.query("insert into groups (name) values ('Fire team A')");
  ids = {
    deck: await one("select id from departments where name = 'Deck'"),
    quay: await one("select id from sites where name = 'Orla Quay'"),
    team: await one("select id from groups where name = 'Fire team A'"),
    unit: await one('select u.id from units u order by u.id limit 1'),
    section: await one('select id from sections order by id limit 1'),
    tora: crew['tora']!,
  };
});
afterAll(() => house.close());

const steps = (): PlanStep[] => [
  { ...STANDARD_PLAN[0]!, to: ['employee', `person ${ids['tora']}`], onlyIf: { all: [{ department: [ids['deck']!] }, { not: { site: [ids['quay']!] } }] } },
  { ...STANDARD_PLAN[1]!, anchor: { event: 'unit-finished', unit: ids['unit']! }, onlyIf: { any: [{ group: [ids['team']!] }, { holds: [course] }, { quizScore: { unit: ids['unit']!, atLeast: 50 } }] } },
  { ...STANDARD_PLAN[3]!, anchor: { event: 'section-finished', section: ids['section']! }, stopWhen: { unitFinished: ids['unit']! } },
]; // prettier-ignore

describe('a plan as a file', () => {
  it('names everything by name, and comes back as it was', async () => {
    const file = await planFile(house.db, course, steps());
    const text = JSON.stringify(file);
    expect(PlanFile.parse(JSON.parse(text))).toEqual(file);
    expect(text).toContain('"Fire Teams Aboard"');
    expect(text).toContain('person tora@orlasund.example');
    for (const [kind, id] of Object.entries(ids)) if (kind !== 'tora') expect(text).not.toContain(`"${id}"`);
    expect((await takePlanFile(house.db, course, text)).steps).toEqual(steps());
  });

  it('what is not there is told with what there is, and nothing is taken', async () => {
    const file = await planFile(house.db, course, steps());
    const text = JSON.stringify(file).replace('"Deck"', '"Decks"').replace('tora@', 'tore@');
    await expect(takePlanFile(house.db, course, text)).rejects.toThrow(
      /There is no person with the address “tore@orlasund.example” here\. There is no department “Decks” here; there is “Deck”, “Office”\. Nothing was taken\./,
    );
  });

  it('two that are called the same are told apart', async () => {
    await house.db.query("insert into groups (name) select 'Fire team A' where false");
    const [first] = await rows<{ id: string; title: string; section_id: string }>(
      house.db,
      'select id, title, section_id from units order by id limit 1',
    );
    const [twin] = await rows<{ id: string }>(
      house.db,
      'insert into units (section_id, position, kind, title, required) select section_id, position + 50, kind, title, required from units where id = $1::bigint returning id',
      [first!.id],
    );
    const named = [{ ...STANDARD_PLAN[1]!, anchor: { event: 'unit-finished' as const, unit: twin!.id } }];
    const file = await planFile(house.db, course, named);
    expect(file.steps[0]!.anchor.unit).toBe(`${first!.title} (${twin!.id})`);
    expect((await takePlanFile(house.db, course, JSON.stringify(file))).steps).toEqual(named);
    const unclear = JSON.stringify(file).replace(` (${twin!.id})`, '');
    await expect(takePlanFile(house.db, course, unclear)).rejects.toThrow('There is no unit');
    await house.db.query('delete from units where id = $1::bigint', [twin!.id]);
  });

  it.each<[string, string, RegExp]>([
    ['no JSON', '{', /The file is not JSON/],
    ['no plan', '{"course": "x"}', /steps: /],
    ['a step too many words', JSON.stringify({ course: 'x', steps: [{ ...STANDARD_PLAN[0], colour: 1 }] }), /Unrecognized key: "colour"/],
  ])('a file that is %s is refused in words', async (_, text, words) => {
    await expect(takePlanFile(house.db, course, text)).rejects.toThrow(words);
  });

  it('is looked over by the rules that a draft is: whom it goes to among them', () => {
    const plan = { course: 'x', steps: [{ ...STANDARD_PLAN[0]!, to: ['everyone'] }] } as never;
    expect(checkPlan(plan)).toEqual([expect.stringMatching(/^“Invitation”: it goes to “everyone”; expected /)]);
  });

  it('of any text whatever it says a sentence, or takes a plan', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.json(), fc.json().map((json) => `{"course": "x", "steps": ${json}}`)), (text) => {
        const read = readPlanText(text);
        if ('plan' in read) checkPlan(read.plan);
        else expect(read.refusals.length).toBeGreaterThan(0);
      }),
      { numRuns: 300 },
    );
  }); // prettier-ignore
});
