import { describe, expect, it, test } from 'vitest';
import fc from 'fast-check';
import { previewRoster, type RosterRow } from './roster-file.ts';

const SITES = ['Orla Quay', 'Tarn Ness'];
const HEADER = ['Name', 'E-mail', 'Department', 'Site', 'Manager e-mail', 'Personnel number'];
const row = (name: string, rest: Partial<RosterRow> = {}): RosterRow => ({
  personnelNumber: null,
  name,
  email: `${name.toLowerCase()}@orlasund.example`,
  department: 'Deck',
  site: 'Orla Quay',
  job: null,
  managerEmail: null,
  joinedOn: null,
  leftOn: null,
  ...rest,
});
const line = (name: string, ...rest: string[]): string[] => [name, `${name.toLowerCase()}@orlasund.example`, 'Deck', 'Orla Quay', ...rest];
const brief = (preview: ReturnType<typeof previewRoster>) => [
  preview.added.map(({ person }) => person.name),
  preview.changed.map(({ person }) => person.name),
  preview.unchanged,
  preview.rejected.map(({ row: n, column }) => `${n} ${column}`),
];

describe('a roster file', () => {
  test.each<[string, string[][], RosterRow[], unknown]>([
    [
      'adds, changes, leaves and counts',
      [HEADER, line('Runa'), ['Odd', 'odd@orlasund.example', 'Engine', 'Orla Quay'], line('Kari')],
      [row('Odd'), row('Kari')],
      [['Runa'], ['Odd'], 1, []],
    ],
    ['knows a header in any writing', [['FULL NAME', 'e_mail', 'department', 'Location'], line('Runa')], [], [['Runa'], [], 0, []]],
    ['passes over empty lines', [HEADER, ['', '', ''], line('Runa')], [], [['Runa'], [], 0, []]],
    [
      'takes a manager who comes by the same file',
      [HEADER, line('Runa', 'odd@orlasund.example'), line('Odd')],
      [],
      [['Runa', 'Odd'], [], 0, []],
    ],
    [
      'refuses whose manager’s row is refused, down the line',
      [
        HEADER,
        line('Runa', 'odd@orlasund.example'),
        ['Odd', 'odd@orlasund.example', 'Deck', 'Atlantis'],
        line('Per', 'runa@orlasund.example'),
      ],
      [],
      [[], [], 0, ['3 site', '2 manager email', '4 manager email']],
    ],
    [
      'refuses a personnel number that belongs to somebody else',
      [HEADER, line('Runa', '', 'OF-1')],
      [row('Odd', { personnelNumber: 'OF-1' })],
      [[], [], 0, ['2 personnel number']],
    ],
    ['refuses to be one’s own manager', [HEADER, line('Runa', 'runa@orlasund.example')], [], [[], [], 0, ['2 manager email']]],
    [
      'refuses a circle of managers',
      [HEADER, line('Runa', 'odd@orlasund.example'), line('Odd', 'runa@orlasund.example')],
      [],
      [[], [], 0, ['2 manager email', '3 manager email']],
    ],
    ['names each missing column', [['Name']], [], [[], [], 0, ['1 email', '1 department', '1 site']]],
  ])('%s', (_, table, roster, expected) => expect(brief(previewRoster(table, roster, SITES))).toEqual(expected));

  it('leaves what a column would say when the file does not have the column', () => {
    const preview = previewRoster(
      [['name', 'email', 'department', 'site'], line('Runa')],
      [row('Runa', { job: 'Boatswain', managerEmail: 'odd@orlasund.example', joinedOn: '2020-01-01' })],
      SITES,
    );
    expect(preview.unchanged).toBe(1);
  });
  it('shows old and new side by side', () => {
    const preview = previewRoster([HEADER, ['Runa Aske', 'runa@orlasund.example', 'Deck', 'tarn ness']], [row('Runa')], SITES);
    expect(preview.changed[0]!.changes).toEqual([
      { field: 'name', from: 'Runa', to: 'Runa Aske' },
      { field: 'site', from: 'Orla Quay', to: 'Tarn Ness' },
    ]);
  });

  it('taken once, the same file changes nothing; every row is somewhere', () => {
    const names = fc.uniqueArray(fc.constantFrom('Ane', 'Bo', 'Cato', 'Dag', 'Eli', 'Finn'), { minLength: 1 });
    const lines = names.chain((list) =>
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
      fc.property(lines, (people) => {
        const table = [
          HEADER,
          ...people.map(({ name, manager, site }) => [
            name,
            `${name}@orlasund.example`,
            'Deck',
            site,
            manager && `${manager}@orlasund.example`,
          ]),
        ];
        const first = previewRoster(table, [], SITES);
        const refused = new Set(first.rejected.map(({ row: n }) => n));
        expect(first.added.length + refused.size).toBe(people.length);
        const again = previewRoster(
          table,
          first.added.map(({ person }) => person),
          SITES,
        );
        expect([again.added.length, again.changed.length, again.unchanged]).toEqual([0, 0, first.added.length]);
      }),
    );
  });
});
