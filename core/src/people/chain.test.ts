import { describe, expect, it, test } from 'vitest';
import { aPerson, aRoster, utc } from '../testing.ts';
import { chainOf } from './chain.ts';
import { findRecipient, isKnownRole, managerLevel, nominalRecipient, rolesFor, tellRole } from './role.ts';

const AT = utc('2027-03-10T09:00');
const people = [
  aPerson('runa', { manager: 'odd' }),
  aPerson('odd', { manager: 'kari' }),
  aPerson('kari', { manager: 'dag' }),
  aPerson('dag'),
  aPerson('tora'),
];
const roster = aRoster(people);
const runa = roster.getPerson('runa');

describe('roles', () => {
  test.each<[string, number | null, boolean]>([
    ['employee', null, true],
    ['manager', 1, true],
    ['manager 2', 2, true],
    ['manager 12', 12, true],
    ['manager 1', null, false],
    ['manager 0', null, false],
    ['Manager', null, false],
    ['trainer', null, true],
    ['safety@orlasund.example', null, true],
    ['assistants', null, true],
    ['person 12', null, true],
    ['person ', null, false],
    ['person 1 2', null, false],
    ['everyone', null, false],
  ])('%s', (role, level, known) => expect([managerLevel(role), isKnownRole(role)]).toEqual([level, known]));
});

describe('the chain of managers', () => {
  it('is nearest first', () =>
    expect(chainOf(runa, roster)).toEqual({ chain: ['odd', 'kari', 'dag'].map((id) => roster.getPerson(id)), loop: false }));
  it.each([
    ['of two', { odd: 'runa' }, ['odd']],
    ['further up', { dag: 'odd' }, ['odd', 'kari', 'dag']],
    ['with oneself', { runa: 'runa' }, []],
  ])('a loop %s is reported and not followed', (_, managers: Record<string, string>, expected) => {
    const looped = aRoster(people.map((person) => ({ ...person, manager: managers[person.id] ?? person.manager })));
    const { chain, loop } = chainOf(looped.getPerson('runa'), looped);
    expect([chain.map(({ id }) => id), loop]).toEqual([expected, true]);
  });
  it('ends where a manager is not on the roster', () => {
    const broken = aRoster([aPerson('runa', { manager: 'ghost' }), aPerson('tora')]);
    expect(chainOf(broken.getPerson('runa'), broken)).toEqual({ chain: [], loop: false });
  });
});

describe('who is written to', () => {
  const owner = roster.getPerson('tora');
  test.each<[string, string, string]>([
    ['the employee', 'employee', 'runa'],
    ['the third level', 'manager 3', 'dag'],
    ['above the chain, the owner', 'manager 4', 'tora'],
    ['the trainer', 'trainer', 'tora'],
    ['somebody who is named', 'person dag', 'dag'],
  ])('%s', (_, role, expected) => {
    expect(nominalRecipient(role, runa, owner, roster)?.id).toBe(expected);
    expect(findRecipient(role, runa, owner, roster, AT).person?.id).toBe(expected);
  });

  it.each([
    ['nobody who is not on the roster', 'person ghost', roster, 'whoever is named is not on the roster'],
    ['nobody about themselves', 'person runa', roster, 'runa is the employee'],
    ['nobody who has left', 'person dag', aRoster(people.map((p) => (p.id === 'dag' ? { ...p, leftOn: '2027-03-10' } : p))), 'dag has left'],
    ['assistants where there are none', 'assistants', roster, 'the course has no assistants'],
  ])('%s', (_, role, of, why) => expect(findRecipient(role, of.getPerson('runa'), owner, of, AT)).toEqual({ person: null, address: null, path: [expect.stringMatching(new RegExp(why, 'i'))] })); // prettier-ignore

  it('assistants are told one by one, nobody twice', () => {
    expect(rolesFor(['trainer', 'assistants', 'person odd'], ['dag', 'odd'])).toEqual(['trainer', 'person dag', 'person odd']);
    expect(rolesFor(['trainer', 'assistants'])).toEqual(['trainer', 'assistants']);
    expect(['trainer', 'person odd', 'person ghost'].map((role) => tellRole(role, (id) => ({ odd: 'Odd Aske' })[id]))).toEqual(['trainer', 'Odd Aske', 'somebody who is not on the roster']); // prettier-ignore
  });

  it('an address is written to as it is', () =>
    expect(findRecipient('safety@orlasund.example', runa, owner, roster, AT)).toEqual({
      person: null,
      address: 'safety@orlasund.example',
      path: [],
    }));

  it('the first and the last day of leave count', () => {
    const away = aRoster(
      people.map((person) =>
        person.id === 'odd' ? { ...person, leave: [{ from: '2027-03-10', to: '2027-03-12', cover: 'tora' }] } : person,
      ),
    );
    const reached = (iso: string) => findRecipient('manager', away.getPerson('runa'), null, away, utc(iso)).person?.id;
    expect(['2027-03-09T09:00', '2027-03-10T09:00', '2027-03-12T09:00', '2027-03-13T09:00'].map(reached)).toEqual([
      'odd',
      'tora',
      'tora',
      'odd',
    ]);
  });

  it('who has left is passed over, and the way is told', () => {
    const left = aRoster(people.map((person) => (person.id === 'odd' ? { ...person, leftOn: '2027-03-10' } : person)));
    expect(findRecipient('manager', left.getPerson('runa'), null, left, AT)).toMatchObject({
      person: { id: 'kari' },
      path: ['Person odd has left'],
    });
  });

  it('an owner who has left, or is the employee, is nobody', () => {
    const alone = aRoster([aPerson('runa'), aPerson('tora', { leftOn: '2027-01-01' })]);
    expect(findRecipient('manager', alone.getPerson('runa'), alone.getPerson('tora'), alone, AT)).toMatchObject({
      person: null,
      path: ['there is no manager', "the course's owner has left"],
    });
    expect(findRecipient('trainer', alone.getPerson('runa'), alone.getPerson('runa'), alone, AT).path).toEqual([
      "the course's owner is the employee",
    ]);
  });
});
