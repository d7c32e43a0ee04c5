import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { SettingsDraft } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { findLearning } from '../learning/learn.ts';
import { close } from '../assignments/change.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { listHouseChanges } from './record.ts';
import { getHouse } from './house.ts';
import { sumNextDay } from '../reports/day-sums.ts';
import { drain } from '../worker.ts';
import { saveSettings, settingsView } from './settings.ts';

let house: TestHouse;
let assignment: string;
beforeAll(async () => {
  house = await openTestHouse('2027-03-01T09:30:00Z');
  const crew = await makeCrew(house);
  const course = await makeCourse(house, crew['tora']!);
  [assignment] = (await assignAt(house, course, [crew['runa']!], '2027-03-19T16:00:00Z')) as [string];
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());
const draft = async (change: Partial<SettingsDraft> = {}): Promise<SettingsDraft> => SettingsDraft.parse({ ...(await settingsView(house.deps)), ...change }); // prettier-ignore

describe('the settings of the house', () => {
  it('a window that changes moves what is still to be sent', async () => {
    const moment = async () => (await rows<{ at: Date }>(house.db, "select at from notices where step_id = 'late' and occurrence = 0"))[0]!.at.toISOString(); // prettier-ignore
    expect(await moment()).toBe('2027-03-22T08:00:00.000Z');
    const saved = await saveSettings(house.deps, await draft({ windowFrom: '10:30' }), 'Sigrid Aune');
    expect(saved).toMatchObject({ version: 2, changedBy: 'Sigrid Aune', windowFrom: '10:30' });
    await drain(house.deps, house.mailer);
    expect(await moment()).toBe('2027-03-22T09:30:00.000Z');
  });
  it('an older version is refused, and says who saved the newer one', async () => {
    await expect(saveSettings(house.deps, { ...(await draft()), version: 1 }, 'Tora Aske')).rejects.toThrow(
      'Version 2 of the settings was saved by Sigrid Aune on Mon 1 Mar 10:30 while you worked on version 1',
    );
  });
  it('a zone that there is not is refused in words', async () =>
    expect(saveSettings(house.deps, await draft({ zone: 'Europe/Orlasund' }), 'x')).rejects.toThrow(
      'There is no time zone “Europe/Orlasund”',
    ));
  it('a zone that changes puts every notice on its day there, in the ledger and on the ribbon', async () => {
    const astray = async (zone: string) => (await rows<{ n: number }>(house.db, 'select count(*)::integer as n from notices where on_day <> (at at time zone $1::text)::date', [zone]))[0]!.n; // prettier-ignore
    expect(await astray('Europe/Oslo')).toBe(0);
    expect(await astray('Pacific/Auckland')).toBeGreaterThan(0);
    await saveSettings(house.deps, await draft({ zone: 'Pacific/Auckland' }), 'Sigrid Aune');
    expect(await astray('Pacific/Auckland')).toBe(0);
    expect(await rows(house.db, 'select * from figures_astray()')).toEqual([]);
    await saveSettings(house.deps, await draft({ zone: 'Europe/Oslo' }), 'Sigrid Aune');
  });
  it('a zone that changes forgets what was counted by the days of the zone before, and what else is saved does not', async () => {
    const counted = () => rows(house.db, 'select day from days_summed union all select day from days_asked');
    house.clock.at += 5 * 86_400_000;
    while ((await sumNextDay(house.deps)) !== null);
    const { dailyLimit } = await draft();
    await saveSettings(house.deps, await draft({ dailyLimit: 5 }), 'Sigrid Aune');
    await saveSettings(house.deps, await draft({ dailyLimit }), 'Sigrid Aune');
    expect(await counted()).toHaveLength(8);
    // issued after its day in Oslo, and on it in Halifax
    await house.db.query("insert into certificates (serial, assignment_id, person_id, course_id, person_name, course_title, issued_on, issued_at) select 'late', id, person_id, course_id, 'x', 'x', '2027-03-01', '2027-03-01T23:30:00Z' from assignments limit 1"); // prettier-ignore
    const isLater = async () =>
      (await rows<{ is_later: boolean }>(house.db, "select is_later from certificates where serial = 'late'"))[0]!.is_later;
    expect(await isLater()).toBe(true);
    await saveSettings(house.deps, await draft({ zone: 'America/Halifax' }), 'Sigrid Aune');
    expect([await counted(), await isLater()]).toEqual([[], false]);
    await saveSettings(house.deps, await draft({ zone: 'Europe/Oslo' }), 'Sigrid Aune');
    expect(await isLater()).toBe(true);
    house.clock.at -= 5 * 86_400_000;
  });
  it('say on which day a week begins, and the session tells it', async () => {
    await saveSettings(house.deps, await draft({ weekStartsOn: 7 }), 'Sigrid Aune');
    expect(await settingsView(house.deps)).toMatchObject({ weekStartsOn: 7 });
    expect((await getHouse(house.db)).weekStartsOn).toBe(7);
    expect(SettingsDraft.safeParse({ ...(await draft()), weekStartsOn: 8 }).success).toBe(false);
  });
  it('says who changed what, from what to what', async () => {
    await house.db.query('delete from house_changes');
    await saveSettings(house.deps, await draft({ windowTo: '20:00', dailyLimit: null }), 'Mina');
    await saveSettings(house.deps, await draft(), 'Nobody'); // changes nothing
    expect((await listHouseChanges(house.db, 'settings')).map(({ byWhom, words }) => [byWhom, words])).toEqual([
      ['Mina', 'Settings: Messages go 10:30 to 20:00, before 10:30 to 18:00; Messages a day no limit, before 3.'],
    ]);
  });
  it('a window that ends before it begins is refused', () =>
    expect(SettingsDraft.safeParse({ windowFrom: '18:00', windowTo: '08:00' }).success).toBe(false));
  it('a personal link ends so many days after its assignment was closed, where the house says so', async () => {
    const [{ id }] = (await rows(house.db, 'select id from assignments')) as [{ id: string }];
    const link = await linkInto(house, id);
    await close(house.deps, 'withdrawn', { assignmentIds: [assignment], reason: 'x', until: null }, 'A');
    await saveSettings(house.deps, await draft({ linkDays: 30 }), 'A');
    expect((await findLearning(house.deps, link)).state).toBe('withdrawn');
    house.clock.at += 31 * 86_400_000;
    await expect(findLearning(house.deps, link)).rejects.toMatchObject({ code: 'wrong-link' });
  });
});
