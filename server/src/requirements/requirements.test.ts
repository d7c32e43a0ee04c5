import { afterAll, beforeEach, describe, expect, it, test } from 'vitest';
import type { RequirementDraft, RequirementResult } from '@nudrik/contract';
import { close } from '../assignments/change.ts';
import { type DemoClock, openClock, setDemoClock } from '../clock/clock.ts';
import { carryClock } from '../clock/move.ts';
import { rows } from '../db/db.ts';
import { markUnitDone } from '../learning/learn.ts';
import { addPerson, changePerson } from '../people/change.ts';
import { removeDepartment, saveDepartment, saveGroup, changeMembers } from '../structure/structure.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { addRequirement, changeRequirement, decideOutside, removeRequirement, switchOff, switchOn } from './change.ts';
import { getRequirement, listRequirements, listStandings, previewRequirement } from './preview.ts';
import { findChanges } from './reconcile.ts';
import { whyCourse } from './why.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
let departments: Record<string, string>;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  departments = Object.fromEntries((await rows<{ id: string; name: string }>(house.db, 'select id, name from departments')).map(({ id, name }) => [name, id])); // prettier-ignore
});
afterAll(() => house.close());

const draft = (rest: Partial<RequirementDraft> = {}): RequirementDraft => ({
  name: 'Fire teams for deck', courseId: course, audience: { department: [departments['Deck']!], below: true }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' },
  dueTime: '17:00', graceDays: 7, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask', ...rest,
}); // prettier-ignore
const write = async (rest: Partial<RequirementDraft> = {}): Promise<string> =>
  (await addRequirement(house.deps, draft(rest), 'Sigrid Aune')).id;
const version = async (id: string): Promise<number> => (await getRequirement(house.db, id)).version;
const on = async (id: string): Promise<RequirementResult> => switchOn(house.deps, id, await version(id), 'Sigrid Aune');
const off = async (id: string, outside: 'withdraw' | 'keep') => switchOff(house.deps, id, await version(id), outside, 'Sigrid Aune');
const play = async (at?: string): Promise<void> => {
  if (at) house.clock.at = Date.parse(at);
  await drain(house.deps, house.mailer);
};
const LIST = `
select p.name, a.round, a.due_at, a.closed_by, (select string_agg(q.name || case when r.out_since is not null then ' (out)' when r.kept_at is not null then ' (kept)' else '' end, ' + ' order by q.name) from assignment_reasons r join requirements q on q.id = r.requirement_id where r.assignment_id = a.id) as reasons
from assignments a join people p on p.id = a.person_id
order by p.name, a.round
`;
const list = async (): Promise<string[]> =>
  (await rows<{ name: string; round: number; due_at: Date; closed_by: string | null; reasons: string | null }>(house.db, LIST)).map((row) =>
    [row.name.split(' ')[0], row.round > 1 ? `round ${row.round}` : '', row.closed_by ?? `due ${row.due_at.toISOString().slice(5, 16)}`, row.reasons ? `for ${row.reasons}` : ''].filter(Boolean).join(' '),
  ); // prettier-ignore
const mails = (): string[] => house.mailer.letters.map((letter) => `${letter.toAddress.split('@')[0]}: ${letter.subject}`);

describe('switching on', () => {
  it('shows everything first and stores nothing; then does just that, and the invitations go', async () => {
    await assignAt(house, course, [crew['per']!], '2027-03-10T16:00:00Z');
    await changePerson(house.deps, crew['kari']!, { joinedOn: '2027-04-12' }, 'Sigrid Aune');
    await play();
    const seen = await previewRequirement(house.deps, null, draft());
    expect(seen).toMatchObject({ in: 4, assigned: { count: 2 }, attached: { count: 1 }, joining: { count: 1 }, covered: { count: 0 }, falling: { count: 0 } });
    expect(seen.assigned.people[0]).toMatchObject({ name: 'Odd Aske', site: 'Orla Quay', words: 'due Mon 15 Mar 17:00' });
    expect(seen.joining.people[0]).toMatchObject({ name: 'Kari Aske', words: 'joins Mon 12 Apr, due Mon 26 Apr 17:00' });
    expect(seen.byDay[0]).toEqual({ day: '2027-03-01', count: 2 });
    expect(seen.mails).toBe(seen.byDay.reduce((sum, { count }) => sum + count, 0));
    expect(await list()).toEqual(['Per due 03-10T16:00']);
    expect(await on(await write())).toMatchObject({ assigned: 2, attached: 1 });
    await play();
    expect(await list()).toEqual(['Odd due 03-15T16:00 for Fire teams for deck', 'Per due 03-10T16:00 for Fire teams for deck', 'Runa due 03-15T16:00 for Fire teams for deck']); // prettier-ignore
    expect(mails()).toHaveLength(3);
    expect((await rows(house.db, 'select at from wakes order by at'))[0]).toEqual({ at: new Date('2027-04-12T07:00:00Z') });
  }); // prettier-ignore
  it('says of an audience that nobody can ever be in why', async () => {
    const nobody = { all: [{ site: ['1'] }, { site: ['2'] }] };
    expect((await previewRequirement(house.deps, null, draft({ audience: nobody }))).warnings[0]).toBe(
      'Nobody can ever be in it: “at Orla Quay” and “at Tarn Ness” cannot both be so.',
    );
  });
  it('whoever joins later is assigned on the first morning, whoever is added at once', async () => {
    await on(await write());
    await changePerson(house.deps, crew['tora']!, { department: 'Deck', joinedOn: '2027-03-08' }, 'Sigrid Aune');
    await addPerson(house.deps, { name: 'Nils Tarvik', email: 'nils@orlasund.example', department: 'Deck', siteId: '1' }, 'Sigrid Aune');
    await play();
    expect((await list()).filter((line) => /Nils|Tora/.test(line))).toEqual(['Nils due 03-15T16:00 for Fire teams for deck']);
    await play('2027-03-08T06:59:00Z');
    expect((await list()).some((line) => line.startsWith('Tora'))).toBe(false);
    await play('2027-03-08T07:00:00Z');
    expect((await list()).at(-1)).toBe('Tora due 03-22T16:00 for Fire teams for deck');
  });
  it('without joiners only those who were in', async () => {
    const id = await write({ takesJoiners: false });
    await on(id);
    await addPerson(house.deps, { name: 'Nils Tarvik', email: 'nils@orlasund.example', department: 'Deck', siteId: '1' }, 'Sigrid Aune');
    await changePerson(house.deps, crew['tora']!, { department: 'Deck' }, 'Sigrid Aune');
    await play();
    expect((await list()).map((line) => line.split(' ')[0])).toEqual(['Kari', 'Odd', 'Per', 'Runa']);
    // who fits and is not asked is told, and not hidden
    expect((await listRequirements(house.deps))[0]).toMatchObject({ in: 4, notAsked: 2 });
    const { people, counts } = await listStandings(house.deps, id);
    expect(counts['not-asked']).toBe(2);
    expect(people.find(({ name }) => name === 'Nils Tarvik')).toMatchObject({
      standing: 'not-asked',
      words: 'came after it was switched on',
    });
    await off(id, 'keep');
    expect((await listRequirements(house.deps))[0]).toMatchObject({ notAsked: 0 });
    expect((await listStandings(house.deps, id)).counts['not-asked']).toBeUndefined();
    await on(id);
    expect((await listStandings(house.deps, id)).counts['not-asked']).toBeUndefined(); // switched on anew, they are in
    await addPerson(house.deps, { name: 'Siv Holm', email: 'siv@orlasund.example', department: 'Deck', siteId: '1' }, 'Sigrid Aune');
    // taking them in shows them before, and asks them then
    const open = draft({ takesJoiners: true });
    expect((await previewRequirement(house.deps, id, open)).assigned.count).toBe(1);
    // who was in and left the audience comes in again
    await changePerson(house.deps, crew['per']!, { department: 'Office' }, 'Sigrid Aune');
    await play();
    await changePerson(house.deps, crew['per']!, { department: 'Deck' }, 'Sigrid Aune');
    await play();
    expect(await list()).toContain('Per due 03-15T16:00 for Fire teams for deck');
  });
  test.each<[string, () => Promise<unknown>, string]>([
    ['twice', async () => { const id = await write(); await on(id); await on(id); }, 'is on already'],
    ['a stale page', async () => { const id = await write(); await switchOn(house.deps, id, 7, 'Sigrid Aune'); }, 'Sigrid Aune changed “Fire teams for deck” in the meantime'],
    ['a course that nobody could finish', async () => { await house.db.query("update courses set required_units = '{}'"); await on(await write()); }, 'has no required unit'],
    ['a name that is taken', async () => { await write(); await write({ name: 'fire TEAMS for deck' }); }, 'Give this one a name that tells the two apart'],
    ['removing what was on', async () => { const id = await write(); await on(id); await removeRequirement(house.deps, id); }, 'stays on the record'],
    ['another course once on', async () => { const id = await write(); await on(id); await changeRequirement(house.deps, id, await version(id), draft({ courseId: await makeCourse(house, null, undefined, 'Lines') }), 'ask', 'Sigrid Aune'); }, 'Write another requirement for the other course'],
    ['removing a department that it speaks of', async () => { const id = await saveDepartment(house.deps, null, { name: 'Rafts', parentId: null }, 'Sigrid Aune'); await write({ audience: { all: [{ not: { department: [id], below: true } }] } }); await removeDepartment(house.deps, id, 'Sigrid Aune'); }, 'Rafts stands in the audience of “Fire teams for deck”'],
  ])('refuses %s', async (_, act, words) => expect(act()).rejects.toThrow(words)); // prettier-ignore
});

describe('overlap', () => {
  it('gives one assignment with the earliest due date and both reasons, in whichever order', async () => {
    const soon = {
      name: 'Fire teams at the quay',
      audience: { site: ['1'] },
      due: { kind: 'after', amount: 3, unit: 'days', event: 'assigned' },
    } as const;
    await on(await write());
    const second = await write(soon);
    expect((await previewRequirement(house.deps, second, draft(soon))).attached.people[0]!.words).toBe('has it open, due Thu 4 Mar 17:00, moved from Mon 15 Mar 17:00'); // prettier-ignore
    await on(second);
    await play();
    expect((await list()).find((line) => line.startsWith('Runa'))).toBe(
      'Runa due 03-04T16:00 for Fire teams at the quay + Fire teams for deck',
    );
    const why = await whyCourse(house.deps, crew['runa']!, course);
    expect(why.reasons.map(({ facts, isStill }) => [facts, isStill])).toEqual([[['is in Deck'], true], [['is at Orla Quay'], true]]); // prettier-ignore
    // one of two reasons falls away and nobody is asked
    await off(second, 'withdraw');
    expect((await list()).find((line) => line.startsWith('Runa'))).toBe('Runa due 03-04T16:00 for Fire teams for deck');
  });
});

describe('leaving the audience', () => {
  const move = async (): Promise<string> => {
    const id = await write();
    await on(id);
    await play();
    await changePerson(house.deps, crew['per']!, { department: 'Office' }, 'Sigrid Aune');
    await play();
    return id;
  };
  const per = async (): Promise<string | undefined> => (await list()).find((line) => line.startsWith('Per'));
  it('asks, and goes on reminding until somebody says', async () => {
    const id = await move();
    expect(await per()).toBe('Per due 03-15T16:00 for Fire teams for deck (out)');
    expect((await listStandings(house.deps, id)).counts).toEqual({ asks: 1, open: 3 });
    expect((await listRequirements(house.deps))[0]).toMatchObject({ in: 3, open: 4, asks: 1 });
    expect((await whyCourse(house.deps, crew['per']!, course)).words).toContain('today that is no longer so: not in the audience');
    const { assignmentId } = (await listStandings(house.deps, id)).people.find(({ standing }) => standing === 'asks')!;
    await decideOutside(house.deps, id, [assignmentId!], 'keep', 'Sigrid Aune');
    expect(await per()).toBe('Per due 03-15T16:00 for Fire teams for deck (kept)');
    await expect(decideOutside(house.deps, id, [assignmentId!], 'withdraw', 'Sigrid Aune')).rejects.toThrow('nothing to decide any more');
  });
  it('withdrawn, it comes back with the person as the same assignment', async () => {
    const id = await move();
    const { assignmentId } = (await listStandings(house.deps, id)).people.find(({ standing }) => standing === 'asks')!;
    await decideOutside(house.deps, id, [assignmentId!], 'withdraw', 'Sigrid Aune');
    await play();
    expect(await rows(house.db, "select distinct because from notices where person_id = $1::bigint and state = 'cancelled'", [crew['per']])).toEqual([{ because: 'withdrawn' }]); // prettier-ignore
    await changePerson(house.deps, crew['per']!, { department: 'Deck' }, 'Sigrid Aune');
    await play('2027-03-02T09:00:00Z');
    expect(await per()).toBe('Per due 03-16T16:00 for Fire teams for deck');
    expect(mails().filter((line) => line.startsWith('per: Fire Teams Aboard'))).toHaveLength(2);
  });
  it('a narrower audience shows who falls out, and does what is said', async () => {
    const id = await write();
    await on(id);
    const narrow = draft({ audience: { all: [{ department: [departments['Deck']!], below: true }, { not: { line: [crew['odd']!] } }] } });
    expect((await previewRequirement(house.deps, id, narrow)).falling.people.map(({ name }) => name)).toEqual(['Per Aske', 'Runa Aske']);
    expect(await changeRequirement(house.deps, id, await version(id), narrow, 'withdraw', 'Sigrid Aune')).toMatchObject({ withdrawn: 2 });
    expect((await getRequirement(house.db, id)).record[0]!.words).toBe('Changed the audience from “Deck” to “Deck, not in the line of Odd Aske”: 2 withdrawn.'); // prettier-ignore
  });
  test.each([['withdraw', 'withdrawn'], ['keep', ' for Fire teams for deck (kept)']] as const)('switching off: %s', async (word, state) => {
    const id = await write();
    await on(id);
    await off(id, word);
    expect((await list()).every((line) => line.includes(state))).toBe(true);
    await on(id);
    expect((await list()).every((line) => /due 03-15T1[67]:00 for Fire teams for deck$/.test(line))).toBe(true);
  }); // prettier-ignore
});

describe('leaving and returning', () => {
  it('withdraws everything at once, stops all notices, and takes it up again', async () => {
    await on(await write());
    const cash = await makeCourse(house, crew['tora']!, undefined, 'Cash');
    await assignAt(house, cash, [crew['runa']!], '2027-03-19T16:00:00Z');
    await play();
    await changePerson(house.deps, crew['runa']!, { leftOn: '2027-03-03' }, 'Sigrid Aune');
    await play('2027-03-02T12:00:00Z');
    expect((await list()).filter((line) => line.startsWith('Runa')).every((line) => line.includes('due'))).toBe(true);
    house.mailer.letters = [];
    await play('2027-03-03T09:00:00Z');
    expect((await list()).filter((line) => line.startsWith('Runa'))).toEqual(['Runa withdrawn for Fire teams for deck', 'Runa withdrawn']);
    expect(mails().filter((line) => line.startsWith('runa'))).toEqual([]);
    expect(await rows(house.db, "select 1 from notices where person_id = $1::bigint and state in ('planned', 'held')", [crew['runa']])).toEqual([]); // prettier-ignore
    await changePerson(house.deps, crew['runa']!, { leftOn: null, joinedOn: '2027-05-03' }, 'Sigrid Aune');
    await play('2027-04-30T09:00:00Z');
    expect((await list()).filter((line) => line.startsWith('Runa') && line.includes('due'))).toEqual([]);
    await play('2027-05-03T06:00:00Z');
    expect((await list()).filter((line) => line.startsWith('Runa'))).toEqual(['Runa due 05-17T15:00 for Fire teams for deck', 'Runa due 05-21T15:00']); // prettier-ignore
  });
});

describe('finishing, renewal, waivers', () => {
  const finish = async (name: string): Promise<void> => {
    const [row] = await rows<{ id: string; units: string[] }>(house.db, 'select a.id, k.required_units as units from assignments a join courses k on k.id = a.course_id where a.person_id = $1::bigint and a.closed_by is null', [crew[name]]); // prettier-ignore
    for (const unit of row!.units) await markUnitDone(house.deps, await linkInto(house, row!.id), unit);
  };
  it('the next round is assigned in time before it runs out, and due then', async () => {
    await on(await write({ renewal: { months: 12, leadDays: 30 }, audience: { number: ['OF-1'] } }));
    await changePerson(house.deps, crew['runa']!, { personnelNumber: 'OF-1' }, 'Sigrid Aune');
    await play();
    await play('2027-03-10T12:00:00Z');
    await finish('runa');
    await play();
    expect(await rows(house.db, 'select at from wakes')).toEqual([{ at: new Date('2028-02-09T07:00:00Z') }]);
    await play('2028-02-09T06:59:00Z');
    expect(await list()).toEqual(['Runa finished for Fire teams for deck']);
    await play('2028-02-09T07:00:00Z');
    expect(await list()).toEqual(['Runa finished for Fire teams for deck', 'Runa round 2 due 03-10T16:00 for Fire teams for deck']);
    const why = await whyCourse(house.deps, crew['runa']!, course);
    expect(why.reasons[0]!.words).toBe('finished on 10 Mar 2027, which counts until 10 Mar 2028; the next round is due Fri 10 Mar 17:00');
  });
  it('who holds the course is not asked again, and comes into audiences that ask for it', async () => {
    await on(await write({ audience: { number: ['OF-1'] } }));
    const lines = await makeCourse(house, crew['tora']!, undefined, 'Lines');
    await on(await write({ name: 'Lines after fire teams', courseId: lines, audience: { holds: [course] } }));
    await changePerson(house.deps, crew['runa']!, { personnelNumber: 'OF-1' }, 'Sigrid Aune');
    await play();
    await finish('runa');
    await play();
    expect(await list()).toEqual(['Runa finished for Fire teams for deck', 'Runa due 03-15T16:00 for Lines after fire teams']);
    expect((await previewRequirement(house.deps, null, draft({ name: 'x' }))).covered.people).toMatchObject([{ name: 'Runa Aske', words: 'finished on 1 Mar 2027' }]); // prettier-ignore
  });
  it('a waiver with a last day ends, and the assignment goes on', async () => {
    await on(await write());
    await play();
    const [{ id }] = (await rows(house.db, 'select id from assignments where person_id = $1::bigint', [crew['runa']])) as [{ id: string }];
    await close(house.deps, 'waived', { assignmentIds: [id], reason: 'on the dry dock', until: '2027-03-20' }, 'Odd Aske');
    await play('2027-03-20T17:00:00Z');
    expect(await list()).toContain('Runa waived for Fire teams for deck');
    await play('2027-03-21T07:00:00Z');
    expect(await list()).toContain('Runa due 04-04T15:00 for Fire teams for deck');
  });
  it('what was withdrawn by hand stays so', async () => {
    await on(await write());
    const [{ id }] = (await rows(house.db, 'select id from assignments where person_id = $1::bigint', [crew['runa']])) as [{ id: string }];
    await close(house.deps, 'withdrawn', { assignmentIds: [id], reason: 'shore staff', until: null }, 'Odd Aske');
    await play();
    await changePerson(house.deps, crew['runa']!, { job: 'Cook' }, 'Sigrid Aune');
    await play('2027-06-01T09:00:00Z');
    expect((await list()).filter((line) => line.startsWith('Runa'))).toEqual(['Runa withdrawn for Fire teams for deck']);
  });
});

describe('looking at those who changed', () => {
  it('is enough: looking at everyone finds nothing more', async () => {
    const group = await saveGroup(house.deps, null, { name: 'Night boat', about: null }, 'Sigrid Aune');
    await on(await write({ audience: { any: [{ line: [crew['odd']!] }, { group: [group] }] } }));
    const acts: (() => Promise<unknown>)[] = [
      () => changePerson(house.deps, crew['odd']!, { managerId: crew['tora']! }, 'Sigrid Aune'),
      () => changePerson(house.deps, crew['tora']!, { managerId: crew['odd']! }, 'Sigrid Aune').catch(() => undefined),
      () => changePerson(house.deps, crew['per']!, { managerId: null }, 'Sigrid Aune'),
      () => changeMembers(house.deps, group, { add: [crew['kari']!, crew['per']!], remove: [] }, 'Sigrid Aune'),
      () => changePerson(house.deps, crew['kari']!, { leftOn: '2027-03-01' }, 'Sigrid Aune'),
      () => changeMembers(house.deps, group, { add: [], remove: [crew['per']!] }, 'Sigrid Aune'),
    ];
    for (const act of acts) {
      await act();
      await play();
      const client = await house.db.connect();
      expect((await findChanges(client, null, house.clock.at)).changes).toEqual([]);
      client.release();
    }
  });
  it('two workers never assign twice', async () => {
    await on(await write());
    await addPerson(house.deps, { name: 'Nils Tarvik', email: 'nils@orlasund.example', department: 'Deck', siteId: '1' }, 'Sigrid Aune');
    await house.db.query('insert into reconcile (person_id) select id from people cross join generate_series(1, 3)');
    await Promise.all([1, 2, 3].map(() => play()));
    expect(await list()).toHaveLength(5);
  });
});

it('the demo’s clock stops for whoever joins on the way', async () => {
  await house.db.query("insert into demo_clock (base_at, set_at, is_ticking) values ('2027-03-01T09:30:00Z', now(), false)");
  const clock = (await openClock(house.db)) as DemoClock;
  Object.assign(house.deps, { clock });
  await on(await write());
  await changePerson(house.deps, crew['tora']!, { department: 'Deck', joinedOn: '2027-03-08' }, 'Sigrid Aune');
  await setDemoClock(house.db, clock.now(), Date.parse('2027-03-10T09:00:00Z'));
  await carryClock(house.deps, clock, () => drain(house.deps, house.mailer));
  const [invited] = await rows<{ sent_at: Date }>(house.db, "select sent_at from notices where person_id = $1::bigint and step_id = 'invitation'", [crew['tora']]); // prettier-ignore
  expect(invited!.sent_at.toISOString()).toBe('2027-03-08T07:00:00.000Z');
});
