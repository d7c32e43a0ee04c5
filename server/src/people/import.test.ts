import { afterAll, beforeEach, describe, expect, it, test } from 'vitest';
import { ALL_GROUPS, matchColumns, type Groups } from '@nudrik/core';
import { readTable } from '@nudrik/core/table-file';
import type { ImportOrder, ImportResult, RequirementDraft } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { planWaiting } from '../notices/plan.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { reconcileWaiting } from '../requirements/reconcile.ts';
import { removeDepartment, saveDepartment } from '../structure/structure.ts';
import { assignAt, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { changePerson } from './change.ts';
import { foreseeImport, rosterFacts, takeImport } from './import.ts';
import { listRoster } from './people.repo.ts';
import { listImports, undoImport } from './undo-import.ts';

let house: TestHouse;
let crew: Record<string, string>;
beforeEach(async () => {
  await house?.close();
  house = await openTestHouse();
  crew = await makeCrew(house);
});
afterAll(() => house.close());

const HEADER = 'number,name,email,department,site,manager';
const order = async (bytes: Buffer, rest: Partial<ImportOrder> = {}): Promise<ImportOrder> => {
  const facts = await rosterFacts(house.deps);
  const { columns, dateOrder } = matchColumns((await readTable(bytes)).cells, facts);
  return { fileName: 'crew.csv', mark: facts.mark, columns, dateOrder, isComplete: false, emptyCells: 'keep', groups: ALL_GROUPS, confirmedLeft: null, ...rest }; // prettier-ignore
};
const take = async (lines: string[], rest: Partial<ImportOrder> = {}): Promise<ImportResult> => {
  const bytes = Buffer.from([HEADER, ...lines].join('\n'));
  return takeImport(house.deps, bytes, await order(bytes, rest), 'Sigrid Aune');
};
/** The roster without ids: an import that is undone gives it back as it was. */
const roster = async () => (await listRoster(house.db)).map(({ id: _, ...person }) => person).sort((a, b) => (a.email < b.email ? -1 : 1));
const named = async (name: string) => (await listRoster(house.db)).find((person) => person.name.startsWith(name))!;

it('what somebody reads in comes with a file, in any of its words; what is none is refused and loses nothing', async () => {
  const header = 'name,email,department,site,Språk';
  const take = async (lines: string[]) => {
    const bytes = Buffer.from([header, ...lines].join('\n'));
    return takeImport(house.deps, bytes, await order(bytes), 'Sigrid Aune');
  };
  const line = (name: string, language: string) => `${name} Aske,${name.toLowerCase()}@orlasund.example,Deck,${name === 'Kari' ? 'Tarn Ness' : 'Orla Quay'},${language}`; // prettier-ignore
  expect(await take([line('Runa', 'Norwegian'), line('Per', 'pl-PL'), line('Odd', 'Klingonese'), line('Kari', '')])).toMatchObject({ changed: 2, rejected: 1 }); // prettier-ignore
  expect([(await named('Runa')).language, (await named('Per')).language, (await named('Odd')).language]).toEqual(['nb', 'pl', null]);
  // an empty cell keeps what is known
  expect(await take([line('Runa', '')])).toMatchObject({ changed: 0 });
  await undoImport(house.deps, (await listImports(house.db)).at(-1)!.id, 'Sigrid Aune');
  expect((await named('Per')).language).toBeNull();
});

describe('taking a file', () => {
  it('adds, changes, lets leave and takes back, all on the record', async () => {
    await take(['OF-1,Runa Aske,runa@orlasund.example,Deck,Orla Quay,']);
    await changePerson(house.deps, crew['per']!, { leftOn: '2027-02-01' }, 'Sigrid Aune');
    const result = await take(
      [
        'OF-1,Runa Brandal,runa.b@orlasund.example,Engine,Tarn Ness,kari@orlasund.example',
        ',Per Aske,per@orlasund.example,Deck,Orla Quay,',
        ',Nils Tarvik,nils@orlasund.example,Deck,Orla Quay,OF-1',
        ',Kari Aske,kari@orlasund.example,Deck,Tarn Ness,',
        ',Tora Aske,tora@orlasund.example,Office,Orla Quay,',
        ',Wrong,wrong,Deck,Orla Quay,',
      ],
      { isComplete: true, confirmedLeft: 1 },
    );
    expect(result).toMatchObject({ added: 1, changed: 1, returned: 1, left: 1, rejected: 1 });
    expect(await named('Runa')).toMatchObject({ id: crew['runa'], name: 'Runa Brandal', email: 'runa.b@orlasund.example', department: 'Engine', site: 'Tarn Ness', managerEmail: 'kari@orlasund.example' }); // prettier-ignore
    expect(await named('Nils')).toMatchObject({ managerEmail: 'runa.b@orlasund.example' });
    expect([(await named('Odd')).leftOn, (await named('Per')).leftOn]).toEqual(['2027-03-01', null]);
    const record = await rows<{ kind: string; name: string }>(house.db, 'select c.kind, p.name from person_changes c join people p on p.id = c.person_id where c.import_id = $1::bigint order by p.name', [result.id]); // prettier-ignore
    expect(record.map(({ kind, name }) => `${name.split(' ')[0]} ${kind}`)).toEqual(['Nils added', 'Odd left', 'Per returned', 'Runa changed']); // prettier-ignore
    expect((await listImports(house.db))[0]).toMatchObject({ fileName: 'crew.csv', takenBy: 'Sigrid Aune', left: 1, hasFile: true, undoneAt: null }); // prettier-ignore
  });
  it('puts everyone under their manager, in whichever order the file names them', async () => {
    await take([
      ',Deep Down,deep@orlasund.example,Deck,Orla Quay,middle@orlasund.example',
      ',Middle Line,middle@orlasund.example,Deck,Orla Quay,top@orlasund.example',
      ',Top New,top@orlasund.example,Deck,Orla Quay,kari@orlasund.example',
      ',Beside Them,beside@orlasund.example,Deck,Orla Quay,top@orlasund.example',
      ',Kari Aske,kari@orlasund.example,Deck,Tarn Ness,',
    ]);
    const line = async (name: string) => (await named(name)).managerEmail;
    expect([await line('Deep'), await line('Middle'), await line('Top'), await line('Beside')]).toEqual(['middle@orlasund.example', 'top@orlasund.example', 'kari@orlasund.example', 'top@orlasund.example']); // prettier-ignore
  });
  it('takes the groups that are asked for', async () => {
    const lines = [',Nils Tarvik,nils@orlasund.example,Deck,Orla Quay,', ',Per Brandal,per@orlasund.example,Deck,Orla Quay,nils@orlasund.example', ',Tora Brandal,tora@orlasund.example,Office,Orla Quay,']; // prettier-ignore
    const groups: Groups = { ...ALL_GROUPS, added: false };
    expect(await take(lines, { groups })).toMatchObject({ added: 0, changed: 1, rejected: 1 });
    expect([(await named('Per')).name, (await named('Tora')).name]).toEqual(['Per Aske', 'Tora Brandal']);
  });
  it('many leavers need a second word, with their number', async () => {
    const lines = [',Kari Aske,kari@orlasund.example,Deck,Tarn Ness,'];
    await expect(take(lines, { isComplete: true })).rejects.toThrow('4 of 5 people would have left, which is more than 5 %');
    await expect(take(lines, { isComplete: true, confirmedLeft: 3 })).rejects.toMatchObject({ code: 'conflict' });
    expect(await take(lines, { isComplete: true, confirmedLeft: 4 })).toMatchObject({ left: 4 });
  });
  it('is one transaction: a row that the database refuses takes none', async () => {
    await house.db.query("create function refuse_b() returns trigger language plpgsql as $$ begin if new.email = 'b@orlasund.example' then raise exception 'no'; end if; return new; end $$"); // prettier-ignore
    await house.db.query('create trigger refuse before insert on people for each row execute function refuse_b()');
    const lines = ['1,A,a@orlasund.example,Deck,Orla Quay,', '2,B,b@orlasund.example,Deck,Orla Quay,'];
    await expect(take(lines)).rejects.toThrow('no');
    expect(await rows(house.db, "select 1 from people where email like '_@orlasund.example'")).toEqual([]);
    expect(await listImports(house.db)).toEqual([]);
  });
  it('two takers of the same preview: one takes, the other is told', async () => {
    const bytes = Buffer.from(`${HEADER}\n,C,c@orlasund.example,Deck,Orla Quay,\n`);
    const same = await order(bytes);
    const results = await Promise.allSettled([1, 2].map(() => takeImport(house.deps, bytes, same, 'Sigrid Aune')));
    expect(results.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    expect((results.find(({ status }) => status === 'rejected') as PromiseRejectedResult).reason.code).toBe('stale');
  });
  it('remembers how somebody matched a column, also to nothing, and forgets it when it is matched as proposed', async () => {
    const bytes = Buffer.from('Crew,Contact,Place,Unit,Manager\nNils Tarvik,nils@orlasund.example,Orla Quay,Deck,nobody\n');
    const columns: ImportOrder['columns'] = ['name', 'email', 'site', 'department', null];
    await takeImport(house.deps, bytes, await order(bytes, { columns }), 'Sigrid Aune');
    const next = await order(Buffer.from('Place,Manager,Crew,Contact,Unit\nOrla Quay,x,y,z,Deck\n'));
    expect(next.columns).toEqual(['site', null, 'name', 'email', 'department']);
    await takeImport(house.deps, bytes, await order(bytes, { columns: ['name', 'email', 'site', 'department', 'manager'] }), 'Sigrid Aune');
    expect((await rosterFacts(house.deps)).remembered).not.toHaveProperty('manager');
  });
  it('plans anew for whoever changed, with all below, and for nobody else', async () => {
    const course = await makeCourse(house, crew['tora']!);
    const ids = await assignAt(house, course, [crew['runa']!, crew['kari']!], '2027-03-19T16:00:00Z');
    await planWaiting(house.deps);
    await take([',Odd Brandal,odd@orlasund.example,Deck,Orla Quay,kari@orlasund.example']);
    expect(await rows(house.db, 'select assignment_id as id from replan')).toEqual([{ id: ids[0] }]);
  });
});

describe('leave in a file', () => {
  const WITH_LEAVE = 'number,name,email,department,site,manager,leave from,leave to,cover';
  const takeLeave = async (lines: string[]): Promise<ImportResult> => {
    const bytes = Buffer.from([WITH_LEAVE, ...lines].join('\n'));
    return takeImport(house.deps, bytes, await order(bytes), 'Sigrid Aune');
  };
  const runa = ',Runa Aske,runa@orlasund.example,Deck,Orla Quay,,2027-03-02,2027-03-05,Odd Aske';

  it('is entered and holds what goes to somebody; undone, it lets it go, and both are on the record', async () => {
    const course = await makeCourse(house, null);
    await assignAt(house, course, [crew['runa']!], '2027-03-04T16:00:00Z');
    await drain(house.deps, house.mailer);
    const { id, changed } = await takeLeave([runa]);
    expect(changed).toBe(1);
    expect((await named('Runa')).leaves).toEqual([{ from: '2027-03-02', to: '2027-03-05', coverEmail: 'odd@orlasund.example' }]);
    house.clock.at = Date.parse('2027-03-02T16:00:30Z');
    await drain(house.deps, house.mailer);
    const reminder = () => rows(house.db, "select state from notices where step_id = 'two-days-to-go'");
    expect(await reminder()).toEqual([{ state: 'held' }]);
    await undoImport(house.deps, id!, 'Sigrid Aune');
    expect((await named('Runa')).leaves).toEqual([]);
    await drain(house.deps, house.mailer);
    expect(await reminder()).toEqual([{ state: 'sent' }]);
    const record = await rows<{ kind: string; changes: { from: string | null; to: string | null }[] }>(house.db, "select kind, changes from person_changes where kind = 'leave' order by id"); // prettier-ignore
    expect(record.map(({ changes: [change] }) => [change!.from, change!.to])).toEqual([
      [null, '2 Mar 2027 to 5 Mar 2027, Odd Aske covers'],
      ['2 Mar 2027 to 5 Mar 2027, Odd Aske covers', null],
    ]);
  });
  it('a second time is no news', async () => {
    await takeLeave([runa]);
    expect(await takeLeave([runa])).toMatchObject({ id: null, changed: 0 });
  });
});

describe('what an import would bring about', () => {
  const draft = (course: string): RequirementDraft => ({ name: 'Everyone on deck', courseId: course, audience: { any: [{ department: ['1'], below: true }] }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 14, creditMonths: null, renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'withdraw' }); // prettier-ignore
  const foresee = async (lines: string[], rest: Partial<ImportOrder> = {}) => {
    const bytes = Buffer.from([HEADER, ...lines].join('\n'));
    return foreseeImport(house.deps, bytes, await order(bytes, rest));
  };
  const joiners = [',Nils Tarvik,nils@orlasund.example,Deck,Orla Quay,', ',Maud Ellery,maud@orlasund.example,Deck,Tarn Ness,', ',Ola Land,ola@orlasund.example,Office,Orla Quay,']; // prettier-ignore
  let course: string;
  beforeEach(async () => {
    const deck = (await rows<{ id: string }>(house.db, "select id from departments where name = 'Deck'"))[0]!.id;
    course = await makeCourse(house, null);
    const { id } = await addRequirement(house.deps, { ...draft(course), audience: { any: [{ department: [deck], below: true }] } }, 'Sigrid Aune'); // prettier-ignore
    await switchOn(house.deps, id, 1, 'Sigrid Aune');
    await drain(house.deps, house.mailer);
  });

  it('says which requirements ask whom and when the first mail goes, just as taking it then does; nothing is stored', async () => {
    const before = await roster();
    const mark = (await rosterFacts(house.deps)).mark;
    const foreseen = await foresee(joiners);
    expect(foreseen).toMatchObject({ requirements: [{ name: 'Everyone on deck', course: 'Fire Teams Aboard', people: 2, first: { step: 'Invitation' } }], withdrawn: 0, asked: 0 }); // prettier-ignore
    expect(foreseen.requirements[0]!.names.sort()).toEqual(['Maud Ellery', 'Nils Tarvik']);
    expect(await roster()).toEqual(before);
    expect((await rosterFacts(house.deps)).mark).toBe(mark);
    expect(await rows(house.db, 'select 1 from reconcile union all select 1 from replan')).toEqual([]);
    await take(joiners);
    while ((await reconcileWaiting(house.deps)) > 0);
    while ((await planWaiting(house.deps)) > 0);
    const first = await rows<{ at: Date; name: string }>(house.db, "select n.at, p.name from notices n join people p on p.id = n.person_id where p.name in ('Nils Tarvik', 'Maud Ellery') and n.state = 'planned' order by n.at, n.id limit 1"); // prettier-ignore
    expect({ at: first[0]!.at.toISOString(), name: first[0]!.name }).toEqual({ at: foreseen.requirements[0]!.first!.at, name: foreseen.requirements[0]!.first!.name }); // prettier-ignore
  });
  it('counts who joins later, with the mail of their first morning', async () => {
    const header = 'name,email,department,site,joined on';
    const bytes = Buffer.from([header, 'Nils Tarvik,nils@orlasund.example,Deck,Orla Quay,2027-03-15', 'Ola Nes,ola@orlasund.example,Deck,Orla Quay,2027-04-01'].join('\n')); // prettier-ignore
    const { requirements } = await foreseeImport(house.deps, bytes, await order(bytes));
    expect(requirements).toMatchObject([{ people: 2, first: { at: '2027-03-15T07:00:00.000Z', name: 'Nils Tarvik', step: 'Invitation' } }]);
  });
  it('says how many open courses would be withdrawn', async () => {
    expect(await foresee([',Kari Aske,kari@orlasund.example,Deck,Tarn Ness,', ',Tora Aske,tora@orlasund.example,Office,Orla Quay,'], { isComplete: true, confirmedLeft: 3 })).toMatchObject({ requirements: [], withdrawn: 3 }); // prettier-ignore
  });
  it('asks nothing where nothing would be taken', async () =>
    expect(await foresee([])).toEqual({ requirements: [], withdrawn: 0, asked: 0 }));
});

describe('undoing an import', () => {
  const everyKind = async (): Promise<ImportResult> => {
    await changePerson(house.deps, crew['per']!, { leftOn: '2027-02-01' }, 'Sigrid Aune');
    await changePerson(house.deps, crew['runa']!, { personnelNumber: 'OF-1' }, 'Sigrid Aune');
    return take(
      [',Per Aske,per@orlasund.example,Deck,Orla Quay,', 'OF-1,Runa Brandal,runa.b@orlasund.example,Kites,Tarn Ness,nils@orlasund.example', ',Nils Tarvik,nils@orlasund.example,Kites,Orla Quay,', ',Odd Aske,odd@orlasund.example,Deck,Orla Quay,', ',Tora Aske,tora@orlasund.example,Office,Orla Quay,'],
      { isComplete: true, confirmedLeft: 1 },
    ); // prettier-ignore
  };
  it('gives back the roster as it was, departments too', async () => {
    await take(['OF-1,Runa Aske,runa@orlasund.example,Deck,Orla Quay,odd@orlasund.example']);
    await changePerson(house.deps, crew['per']!, { leftOn: '2027-02-01' }, 'Sigrid Aune');
    const before = await roster();
    await take(['OF-1,Runa Brandal,runa.b@orlasund.example,Kites,Tarn Ness,nils@orlasund.example', ',Per Aske,per@orlasund.example,Deck,Orla Quay,', ',Nils Tarvik,nils@orlasund.example,Kites,Orla Quay,', ',Odd Aske,odd@orlasund.example,Deck,Orla Quay,'], { isComplete: true, confirmedLeft: 2 }); // prettier-ignore
    const { id } = (await listImports(house.db))[0]!;
    await undoImport(house.deps, id, 'Sigrid Aune');
    expect(await roster()).toEqual(before);
    expect(await rows(house.db, "select 1 from departments where name = 'Kites'")).toEqual([]);
    expect((await listImports(house.db))[0]).toMatchObject({ undoneBy: 'Sigrid Aune' });
    await expect(undoImport(house.deps, id, 'Sigrid Aune')).rejects.toThrow('undone already');
  });
  test.each<[string, (id: string) => Promise<unknown>, RegExp]>([
    ['nothing: a change of others', () => changePerson(house.deps, crew['tora']!, { name: 'Tora Vold' }, 'Tora Aske'), /^undone$/],
    ['a change of somebody it touched', async () => changePerson(house.deps, (await named('Per')).id, { job: 'Cook' }, 'Tora Aske'), /Per Aske was changed again on Mon 1 Mar 10:30 by Tora Aske/],
    ['somebody it added leads', async () => changePerson(house.deps, crew['tora']!, { managerId: (await named('Nils')).id }, 'Tora Aske'), /Nils Tarvik is the manager of Tora Aske/],
    ['a course that was assigned by hand', async () => assignAt(house, await makeCourse(house, crew['tora']!), [(await named('Nils')).id], '2027-03-19T16:00:00Z'), /Nils Tarvik was assigned Fire Teams Aboard by hand/],
    ['a mail that went out', async () => { await assignAt(house, await makeCourse(house, crew['tora']!), [(await named('Nils')).id], '2027-03-19T16:00:00Z'); await drain(house.deps, house.mailer); }, /Nils Tarvik was sent “Invitation”/],
    ['a course that somebody it added owns', async () => makeCourse(house, (await named('Nils')).id), /Nils Tarvik owns Fire Teams Aboard/],
  ])('says what depends on it: %s', async (_, act, words) => {
    const { id } = await everyKind();
    await act(id!);
    const outcome = await undoImport(house.deps, id!, 'Sigrid Aune').then(() => 'undone', (error: Error) => error.message);
    expect(outcome).toMatch(words);
    if (outcome !== 'undone') expect(await named('Nils')).toBeDefined();
  }); // prettier-ignore
  it('leaves nothing in the way of the worker, which passes over who is gone', async () => {
    const course = await makeCourse(house, null);
    const { id } = await take([',Nils Tarvik,nils@orlasund.example,Deck,Orla Quay,']);
    const nils = (await named('Nils')).id;
    await assignAt(house, course, [nils], '2027-03-19T16:00:00Z');
    await house.db.query('update assignments set is_by_hand = false');
    await undoImport(house.deps, id!, 'Sigrid Aune');
    expect(await rows(house.db, 'select 1 from reconcile where person_id = $1::bigint', [nils])).not.toEqual([]);
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, 'select 1 from reconcile union all select 1 from replan')).toEqual([]);
    expect(house.mailer.letters).toEqual([]);
  });
  it('and the worker at the same time: neither stops the other', async () => {
    const course = await makeCourse(house, null);
    for (let round = 0; round < 3; round++) {
      const { id } = await take(Array.from({ length: 30 }, (_, n) => `,New ${n},new${n}@orlasund.example,Deck,Orla Quay,${n ? 'new0@orlasund.example' : ''}`));
      const added = (await listRoster(house.db)).filter(({ name }) => name.startsWith('New')).map((person) => person.id);
      await assignAt(house, course, added, '2027-03-19T16:00:00Z');
      await house.db.query('update assignments set is_by_hand = false');
      const outcomes = await Promise.allSettled([planWaiting(house.deps), undoImport(house.deps, id!, 'Sigrid Aune'), planWaiting(house.deps), reconcileWaiting(house.deps)]);
      expect(outcomes.map((outcome) => (outcome.status === 'fulfilled' ? 'done' : String(outcome.reason)))).toEqual(['done', 'done', 'done', 'done']);
      await planWaiting(house.deps);
      expect((await listRoster(house.db)).filter(({ name }) => name.startsWith('New'))).toEqual([]);
      expect(await rows(house.db, 'select 1 from notices union all select 1 from assignments')).toEqual([]);
    }
  }); // prettier-ignore
  it('takes away with somebody what a requirement assigned and nobody was told of', async () => {
    const course = await makeCourse(house, crew['tora']!);
    const { id } = await everyKind();
    const nils = (await named('Nils')).id;
    await assignAt(house, course, [nils], '2027-03-19T16:00:00Z');
    await house.db.query('update assignments set is_by_hand = false');
    await planWaiting(house.deps);
    await undoImport(house.deps, id!, 'Sigrid Aune');
    expect(await rows(house.db, 'select 1 from notices')).toEqual([]);
  });
});

it('a file that calls a department as it was called before means it still; one that was removed is made anew', async () => {
  const { db } = house;
  const whole = (await listRoster(db)).filter(({ leftOn }) => leftOn === null);
  const lines = (department: (was: string) => string) => whole.map((one) => `${one.personnelNumber ?? ''},${one.name},${one.email},${department(one.department)},${one.site},`); // prettier-ignore
  const first = whole[0]!.department;
  const { id, version } = (await rows<{ id: string; version: number }>(db, 'select id, version from departments where name = $1::text', [first]))[0]!; // prettier-ignore
  await saveDepartment(house.deps, id, { name: 'Weather Deck', parentId: null, version }, 'Sigrid Aune');
  expect((await rosterFacts(house.deps)).formerNames).toContainEqual({ place: 'department', was: first, name: 'Weather Deck' });
  const bytes = Buffer.from([HEADER, ...lines((was) => was)].join('\n'));
  await expect(takeImport(house.deps, bytes, await order(bytes), 'Sigrid Aune')).resolves.toMatchObject({ changed: 0, added: 0 });
  expect(await rows(db, 'select 1 from departments where name = $1::text', [first])).toEqual([]);
  // one that is called so again is meant itself
  const again = await saveDepartment(house.deps, null, { name: first, parentId: id }, 'Sigrid Aune');
  expect((await rosterFacts(house.deps)).formerNames.filter(({ was }) => was === first)).toEqual([]);
  await removeDepartment(house.deps, again, 'Sigrid Aune');
  // what is gone is no other name of what it stood below
  expect((await rosterFacts(house.deps)).formerNames.filter(({ was }) => was === first)).toEqual([]);
});
