import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { matchColumns, type RosterColumn } from './matching.ts';
import {
  type FormerName,
  ALL_GROUPS,
  chooseGroups,
  previewRoster,
  takenOf,
  type PreviewOptions,
  type RosterPerson,
  type RosterPreview,
} from './roster-file.ts';

const SITES = ['Orla Quay', 'Tarn Ness'];
const HEADER = ['Name', 'E-mail', 'Department', 'Site', 'Manager e-mail', 'Personnel number'];
const TODAY = '2027-03-01';
const person = (name: string, rest: Partial<RosterPerson> = {}): RosterPerson => ({
  id: name.toLowerCase(),
  personnelNumber: null,
  name,
  email: `${name.toLowerCase()}@orlasund.example`,
  department: 'Deck',
  site: 'Orla Quay',
  language: null,
  chatName: null,
  job: null,
  managerEmail: null,
  joinedOn: null,
  leftOn: null,
  ...rest,
});
const line = (name: string, ...rest: string[]): string[] => [name, `${name.toLowerCase()}@orlasund.example`, 'Deck', 'Orla Quay', ...rest];
const look = (
  table: string[][],
  roster: RosterPerson[] = [],
  options: Partial<PreviewOptions> = {},
  remembered: Record<string, RosterColumn | null> = {},
): RosterPreview =>
  previewRoster(table, matchColumns(table, { remembered, sites: SITES, departments: [] }), roster, SITES, {
    isComplete: false,
    emptyCells: 'keep',
    today: TODAY,
    ...options,
  });
const names = (list: { person: { name: string } }[]): string[] => list.map(({ person: { name } }) => name);
const brief = (preview: RosterPreview) => [
  names(preview.added),
  names(preview.changed),
  preview.unchanged,
  preview.rejected.map(({ row, column }) => `${row} ${column}`),
];

describe('a roster file', () => {
  test.each<[string, string[][], RosterPerson[], unknown]>([
    [
      'adds, changes, leaves and counts',
      [HEADER, line('Runa'), ['Odd', 'odd@orlasund.example', 'Engine', 'Orla Quay'], line('Kari')],
      [person('Odd'), person('Kari')],
      [['Runa'], ['Odd'], 1, []],
    ],
    ['knows a header in any writing', [['FULL NAME', 'e_mail', 'department', 'Location'], line('Runa')], [], [['Runa'], [], 0, []]],
    ['passes over empty lines', [HEADER, ['', '', ''], line('Runa')], [], [['Runa'], [], 0, []]],
    ['takes a manager who comes by the same file', [HEADER, line('Runa', 'odd@orlasund.example'), line('Odd')], [], [['Runa', 'Odd'], [], 0, []]], // prettier-ignore
    ['finds a manager by personnel number', [HEADER, line('Runa', 'OF-7'), line('Odd', '', 'OF-7')], [], [['Runa', 'Odd'], [], 0, []]],
    ['finds a manager by a name that only one has', [HEADER, line('Runa', 'Odd'), line('Odd')], [], [['Runa', 'Odd'], [], 0, []]],
    [
      'refuses whose manager’s row is refused, down the line',
      [
        HEADER,
        line('Runa', 'odd@orlasund.example'),
        ['Odd', 'odd@orlasund.example', 'Deck', 'Atlantis'],
        line('Per', 'runa@orlasund.example'),
      ],
      [],
      [[], [], 0, ['3 site', '2 manager', '4 manager']],
    ],
    [
      'refuses a number and an address that belong to two people',
      [HEADER, line('Runa', '', 'OF-1')],
      [person('Odd', { personnelNumber: 'OF-1' }), person('Runa')],
      [[], [], 0, ['2 email']],
    ],
    [
      'refuses a number that contradicts the roster',
      [HEADER, line('Runa', '', 'OF-2')],
      [person('Runa', { personnelNumber: 'OF-1' })],
      [[], [], 0, ['2 personnel number']],
    ],
    ['refuses the same number twice', [HEADER, line('Runa', '', 'OF-2'), line('Per', '', 'of-2')], [], [['Runa'], [], 0, ['3 personnel number']]], // prettier-ignore
    ['refuses to be one’s own manager', [HEADER, line('Runa', 'runa@orlasund.example')], [], [[], [], 0, ['2 manager']]],
    [
      'refuses a circle of managers, however it is entered',
      [HEADER, line('Cato', 'runa@orlasund.example'), line('Runa', 'odd@orlasund.example'), line('Odd', 'runa@orlasund.example')],
      [],
      [[], [], 0, ['3 manager', '4 manager', '2 manager']],
    ],
    ['names each missing column', [['Name']], [], [[], [], 0, ['1 email', '1 department', '1 site']]],
  ])('%s', (_, table, roster, expected) => expect(brief(look(table, roster))).toEqual(expected));

  it('names the circle', () =>
    expect(
      look([HEADER, line('Runa', 'odd@orlasund.example')], [person('Runa'), person('Odd', { managerEmail: 'runa@orlasund.example' })])
        .rejected[0]!.reason,
    ).toBe('The managers would run in a circle: runa@orlasund.example → odd@orlasund.example → runa@orlasund.example.'));
  it('leaves what a column would say when the file does not have the column', () => {
    const was = person('Runa', { job: 'Boatswain', managerEmail: 'odd@orlasund.example', joinedOn: '2020-01-01' });
    expect(look([['name', 'email', 'department', 'site'], line('Runa')], [was, person('Odd')]).unchanged).toBe(1);
  });
  it('an empty cell keeps what the roster knows, or clears it where that is asked for', () => {
    const table = [['name', 'email', 'department', 'site', 'job'], line('Runa', '')];
    const roster = [person('Runa', { job: 'Boatswain' })];
    expect(look(table, roster).unchanged).toBe(1);
    expect(look(table, roster, { emptyCells: 'clear' }).changed[0]!.changes).toEqual([{ field: 'job', from: 'Boatswain', to: null }]);
  });
  it('shows old and new side by side', () => {
    const preview = look([HEADER, ['Runa Aske', 'runa@orlasund.example', 'Deck', 'tarn ness']], [person('Runa')]);
    expect(preview.changed[0]!.changes).toEqual([
      { field: 'name', from: 'Runa', to: 'Runa Aske' },
      { field: 'site', from: 'Orla Quay', to: 'Tarn Ness' },
    ]);
  });
  it('names departments that would be made, in the writing that the roster has for the others', () => {
    const preview = look([HEADER, ['Runa', 'runa@orlasund.example', 'deck', 'Orla Quay'], ['Per', 'per@orlasund.example', 'Dekc', 'Orla Quay']], [person('Odd')]); // prettier-ignore
    expect([preview.newDepartments, preview.added[0]!.person.department]).toEqual([['Dekc'], 'Deck']);
  });
  it('knows departments and sites by what they were called before, and says so; what is called so now is itself', () => {
    const formerNames: FormerName[] = [
      { place: 'department', was: 'Deck', name: 'Weather Deck' },
      { place: 'department', was: 'Boats', name: 'Rafts' },
      { place: 'site', was: 'The Old Quay', name: 'Orla Quay' },
    ];
    const table = [
      HEADER,
      ['Runa', 'runa@orlasund.example', 'DECK', 'the old quay'],
      ['Odd', 'odd@orlasund.example', 'deck', 'Orla Quay'],
      ['Per', 'per@orlasund.example', 'Boats', 'Orla Quay'],
    ];
    const roster = [person('Runa', { department: 'Weather Deck' }), person('Odd', { department: 'Boats' }), person('Per', { department: 'Boats' })];
    const preview = look(table, roster, { formerNames });
    expect([preview.unchanged, preview.newDepartments, preview.changed.map(({ person }) => [person.name, person.department])]).toEqual([2, [], [['Odd', 'Weather Deck']]]);
    expect(preview.calledNow).toEqual([formerNames[2], formerNames[0]]);
  }); // prettier-ignore
  it('is the same person by personnel number, whatever the address', () => {
    const roster = [person('Odd', { personnelNumber: 'OF-1' }), person('Runa', { managerEmail: 'odd@orlasund.example' })];
    const preview = look(
      [HEADER, ['Odd', 'odd.brandal@orlasund.example', 'Deck', 'Orla Quay', '', 'OF-1'], line('Runa', 'odd.brandal@orlasund.example')],
      roster,
    );
    expect(preview.changed.map(({ id, changes }) => [id, changes.map(({ field }) => field)])).toEqual([['odd', ['email']]]);
    expect(preview.unchanged).toBe(1);
  });
});

describe('who left and who is back', () => {
  const table = [HEADER, line('Runa')];
  const roster = [person('Runa'), person('Odd'), person('Kari', { leftOn: '2026-12-01' })];
  it('whoever is missing from a file that lists everyone has left today', () => {
    expect(look(table, roster).left).toEqual([]);
    expect(look(table, roster, { isComplete: true }).left).toMatchObject([
      { row: null, id: 'odd', changes: [{ field: 'leftOn', from: null, to: TODAY }] },
    ]);
  });
  it('a row that is refused is no leaver', () => {
    const preview = look([HEADER, line('Runa'), ['Odd', 'odd@orlasund.example', 'Deck', 'Atlantis']], roster, { isComplete: true });
    expect([preview.left, preview.rejected.length]).toEqual([[], 1]);
  });
  it('somebody who left and is listed again returns, by address or by number', () => {
    expect(names(look([HEADER, line('Kari')], roster).returned)).toEqual(['Kari']);
    const numbered = [person('Kari', { leftOn: '2026-12-01', personnelNumber: 'OF-3' })];
    const back = look([HEADER, ['Kari Nes', 'kari.nes@orlasund.example', 'Deck', 'Orla Quay', '', 'OF-3']], numbered);
    expect(back.returned[0]).toMatchObject({ id: 'kari', person: { leftOn: null, email: 'kari.nes@orlasund.example' } });
  });
  it('a leaving date in the file leaves, one to come too', () => {
    const dated = [['name', 'email', 'department', 'site', 'left on'], line('Odd', '2027-03-31'), line('Kari', '2026-12-01')];
    const preview = look(dated, roster);
    expect([names(preview.left), names(preview.returned), preview.unchanged]).toEqual([['Odd'], [], 1]);
  });
});

describe('groups', () => {
  const table = [HEADER, line('Runa', 'odd@orlasund.example'), line('Odd'), ['Kari', 'kari@orlasund.example', 'Deck', 'Orla Quay', 'odd@orlasund.example']]; // prettier-ignore
  const roster = [person('Kari')];
  it('are taken or left; a row whose manager comes only with a group that is left out is refused', () => {
    const preview = look(table, roster);
    expect(names(takenOf(preview, ALL_GROUPS))).toEqual(['Runa', 'Odd', 'Kari']);
    const chosen = chooseGroups(preview, { ...ALL_GROUPS, added: false }, roster);
    expect([takenOf(chosen, ALL_GROUPS), chosen.rejected.map(({ row, column }) => `${row} ${column}`)]).toEqual([[], ['4 manager']]);
    expect(preview.changed).toHaveLength(1);
  });
});

it('taken once, the same file changes nothing; every row is somewhere', () => {
  const people = fc.uniqueArray(fc.constantFrom('Ane', 'Bo', 'Cato', 'Dag', 'Eli', 'Finn'), { minLength: 1 });
  const lines = people.chain((list) =>
    fc.tuple(
      ...list.map((name) =>
        fc.record({
          name: fc.constant(name),
          manager: fc.constantFrom('', ...list),
          site: fc.constantFrom('Orla Quay', 'Tarn Ness', 'Nowhere'),
        }),
      ),
    ),
  );
  fc.assert(
    fc.property(lines, fc.boolean(), (rows, isComplete) => {
      const table = [
        HEADER,
        ...rows.map(({ name, manager, site }) => [
          name,
          `${name}@orlasund.example`,
          'Deck',
          site,
          manager && `${manager}@orlasund.example`,
        ]),
      ];
      const first = look(table, [], { isComplete });
      const refused = new Set(first.rejected.map(({ row }) => row));
      expect(first.added.length + refused.size).toBe(rows.length);
      const again = look(
        table,
        first.added.map(({ person: added }) => ({ ...added, id: added.email })),
        { isComplete },
      );
      expect([again.added.length, again.changed.length, again.left.length, again.unchanged]).toEqual([0, 0, 0, first.added.length]);
    }),
  );
});

describe('leave in a roster file', () => {
  const LEAVE = [...HEADER, 'Leave from', 'Leave to', 'Cover'];
  const away = (name: string, from: string, to: string, cover = ''): string[] => line(name, '', '', from, to, cover);
  const runa = person('Runa', { leaves: [{ from: '2027-04-01', to: '2027-04-09', coverEmail: 'odd@orlasund.example' }] });

  it('is entered with its days and who covers, by e-mail, number or name', () => {
    const found = look(
      [LEAVE, away('Runa', '1.5.2027', '14.5.2027', 'Odd'), away('Kari', '2027-05-01', '2027-05-02')],
      [runa, person('Odd')],
    );
    expect(found.changed[0]).toMatchObject({
      leave: { from: '2027-05-01', to: '2027-05-14', coverEmail: 'odd@orlasund.example' },
      changes: [{ field: 'leave', from: null, to: '1 May 2027 to 14 May 2027, Odd covers' }],
    });
    expect(found.added[0]).toMatchObject({ leave: { from: '2027-05-01', to: '2027-05-02', coverEmail: null } });
  });
  it('without a last day is leave until further notice', () => {
    const found = look([LEAVE, away('Runa', '2027-05-01', '')], [runa]);
    expect(found.changed[0]).toMatchObject({ leave: { from: '2027-05-01', to: null, coverEmail: null } });
    expect(found.changed[0]!.changes[0]!.to).toBe('from 1 May 2027 until further notice, without cover');
  });
  it('that is on the roster already is no news, with its cover or without', () => {
    for (const cover of ['', 'odd@orlasund.example'])
      expect(brief(look([LEAVE, away('Runa', '2027-04-01', '2027-04-09', cover)], [runa, person('Odd')]))).toEqual([[], [], 1, []]);
  });
  it('may be covered by somebody who comes with the file, and by nobody whose row is refused', () => {
    const rows = (mail: string): string[][] => [LEAVE, away('Runa', '2027-05-01', '2027-05-09', 'nils@orlasund.example'), ['Nils', mail, 'Deck', 'Orla Quay']];
    expect(look(rows('nils@orlasund.example'), [runa]).changed[0]!.leave!.coverEmail).toBe('nils@orlasund.example');
    expect(look([...rows('nils@orlasund.example').slice(0, 2), ['Nils', 'nils@orlasund.example', 'Deck', 'Nowhere']], [runa]).rejected.map(({ row, column, reason }) => `${row} ${column}: ${reason}`)).toEqual([
      '3 site: There is no site "Nowhere". Expected one of: Orla Quay, Tarn Ness.',
      '2 cover: The row of nils@orlasund.example, who is to cover, is not taken.',
    ]);
  }); // prettier-ignore
  test.each<[string, string[], string]>([
    ['without its first day', away('Runa', '', '2027-05-01'), 'leave from: The leave has only its last day; expected its first day too.'],
    ['a year that nobody means', away('Runa', '2027-05-01', '9999-12-31'), 'leave to: "9999-12-31" is not a date that can be kept; expected a year from 1970 to 2199.'],
    ['without an end, over another leave', away('Runa', '2027-03-01', ''), 'leave from: Runa is on leave from 2027-04-01 to 2027-04-09 already'],
    ['ends before it begins', away('Runa', '2027-05-02', '2027-05-01'), 'leave to: The leave would end on 2027-05-01, before it begins on 2027-05-02.'],
    ['a name of four thousand parts', ['Runa '.repeat(4_000), 'runa@orlasund.example', 'Deck', 'Orla Quay', '', '', ''], 'name: Expected at most 200 characters'],
    ['a NUL in a name', ['Ru\u0000na', 'runa@orlasund.example', 'Deck', 'Orla Quay', '', '', ''], 'name: Expected text, got a control character (U+0000).'],
    ['a day that is none', away('Runa', 'soon', '2027-05-01'), 'leave from: "soon" is not a date'],
    ['a cover without days', away('Runa', '', '', 'Odd'), 'cover: odd@orlasund.example would cover a leave that has no days'],
    ['covered by themselves', away('Runa', '2027-05-01', '2027-05-02', 'Runa'), 'cover: runa@orlasund.example would cover their own leave.'],
    ['covered by nobody we know', away('Runa', '2027-05-01', '2027-05-02', 'Ghost'), 'cover: Ghost, who is to cover, is neither on the roster nor in this file.'],
    ['over another leave', away('Runa', '2027-04-09', '2027-05-02'), 'leave from: Runa is on leave from 2027-04-01 to 2027-04-09 already, covered by odd@orlasund.example; change that first.'],
  ])('is refused in words: %s', (_, row, words) => {
    const { rejected, changed } = look([LEAVE, row], [runa, person('Odd')]);
    expect(rejected.map(({ column, reason }) => `${column}: ${reason}`)[0]).toContain(words);
    expect(changed).toEqual([]);
  }); // prettier-ignore
});

describe('two rows for one person', () => {
  const twins = [HEADER, line('Runa'), ['Runa', 'runa@orlasund.example', 'Engine', 'Orla Quay'], line('Odd')];
  it('both wait, and name each other', () => {
    const { rejected, passedOver } = look(twins);
    expect(rejected.map(({ row, others }) => [row, others])).toEqual([
      [2, [3]],
      [3, [2]],
    ]);
    expect(passedOver).toEqual([]);
  });
  it('the chosen one is taken, and the other one is told to be left out', () => {
    const found = look(twins, [], { chosenRows: [3] });
    expect(found.added.map(({ person: { name, department } }) => `${name} ${department}`)).toEqual(['Runa Engine', 'Odd Deck']);
    expect([found.rejected, found.passedOver]).toEqual([[], [{ row: 2, chosen: 3 }]]);
  });
});
