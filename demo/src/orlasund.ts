import { dateOf, dayOf, weekdayOf, type RosterRow } from '@nudrik/core';
import { Random } from './random.ts';

/** Orlasund Ferries, a made-up ferry line. Every person, firm and address is invented. */
export const SEED = 20_260_506;
/** The demo begins on this Wednesday morning; everything in it is relative to that. */
export const START_ON = '2026-05-06';
export const START_TIME = '08:50';

/** Public holidays by date, 2025 to the spring of 2027. */
const NORWAY: Readonly<Record<string, string>> = {
  '2025-05-01': 'Labour Day',
  '2025-05-29': 'Ascension Day',
  '2025-06-09': 'Whit Monday',
  '2025-12-25': 'Christmas Day',
  '2025-12-26': 'Boxing Day',
  '2026-01-01': "New Year's Day",
  '2026-04-02': 'Maundy Thursday',
  '2026-04-03': 'Good Friday',
  '2026-04-06': 'Easter Monday',
  '2026-05-01': 'Labour Day',
  '2026-05-14': 'Ascension Day',
  '2026-05-25': 'Whit Monday',
  '2026-12-25': 'Christmas Day',
  '2027-01-01': "New Year's Day",
  '2027-03-25': 'Maundy Thursday',
  '2027-03-26': 'Good Friday',
  '2027-03-29': 'Easter Monday',
};
const BRITAIN: Readonly<Record<string, string>> = {
  '2025-05-05': 'May holiday',
  '2025-05-26': 'Spring holiday',
  '2025-08-25': 'Summer holiday',
  '2025-12-25': 'Christmas Day',
  '2025-12-26': 'Boxing Day',
  '2026-01-01': "New Year's Day",
  '2026-04-03': 'Good Friday',
  '2026-04-06': 'Easter Monday',
  '2026-05-04': 'May holiday',
  '2026-05-25': 'Spring holiday',
  '2026-08-31': 'Summer holiday',
  '2026-12-25': 'Christmas Day',
  '2026-12-28': 'Boxing Day, moved',
  '2027-01-01': "New Year's Day",
  '2027-03-26': 'Good Friday',
  '2027-03-29': 'Easter Monday',
};

export interface Site {
  name: string;
  zone: string;
  holidays: { on: string; name: string }[];
}

const holidays = (dates: Readonly<Record<string, string>>): Site['holidays'] => Object.entries(dates).map(([on, name]) => ({ on, name }));

export const SITES: readonly Site[] = [
  { name: 'Orla Quay', zone: 'Europe/Oslo', holidays: holidays(NORWAY) },
  { name: 'Vessel pool', zone: 'Europe/Oslo', holidays: holidays(NORWAY) },
  { name: 'Tarn Ness', zone: 'Europe/London', holidays: holidays(BRITAIN) },
  { name: 'Skerry Yard', zone: 'Europe/London', holidays: holidays(BRITAIN) },
];

const GIVEN = (
  'Runa Callum Signe Jonas Mara Odd Petter Elin Ivar Kari Mina Ane Lars Bo Tora Sigrid Elias Ingrid Aksel Birgit Dag Eira ' +
  'Finn Gro Halvard Idun Jorunn Kjell Liv Magnus Nora Olav Pernille Ragna Sindre Torill Ulrik Vilde Ylva Aileen Blair ' +
  'Catriona Duncan Ewan Fiona Gavin Hamish Isla Jean Keir Lorna Morag Niall Oona Rory Sheena Tavish Una Wallace Astrid ' +
  'Bjarne Dagny Eskil Frida Gunnar Hedda Isak Jostein Kaia Leif Marit Njal Oda Peder Rikke Sverre Thea Vegard'
).split(' ');
const FAMILY = (
  'Aske Reith Vold Eik Linde Brandal Holm Strand Moen Nes Dahl Solli Tveit Lervik Hauge Aune Brekke Moe Fjeld Granli ' +
  'Haugland Kvam Lunde Myhre Nygard Osvik Prestvik Rosseland Sandvik Torvik Ulset Vatne Ytterdal Buchan Carrick Dunmore ' +
  'Eskdale Farquhar Galloway Haddow Innes Jardine Kerrow Lamont Mackay Nairn Ogilvy Pitcairn Ruthven Sinclair Tulloch ' +
  'Urquhart Wardlaw Bakke Dypvik Engen Furu Gaustad Hjelle Isdal Kroken Lid Mork Oppedal Rimstad Skaar Tangen Vik Aamot ' +
  'Borgen Drage Espeland Flaten Gjerde'
).split(' ');

const JOBS: Record<string, readonly string[]> = {
  Deck: ['Deckhand', 'Deckhand', 'Able seaman', 'Boatswain'],
  Engine: ['Motorman', 'Engineer', 'Electrician'],
  Cabin: ['Cabin attendant', 'Cabin attendant', 'Galley hand', 'Cook'],
  Terminal: ['Linesman', 'Ticket agent', 'Vehicle marshal'],
  Yard: ['Welder', 'Fitter', 'Rigger'],
  Office: ['Planner', 'Payroll clerk', 'Booking agent'],
};
/** people by department, the intake of 38 not counted: 208 */
const SIZES: [string, string, number][] = [
  ['Deck', 'Vessel pool', 46],
  ['Deck', 'Orla Quay', 12],
  ['Engine', 'Vessel pool', 27],
  ['Cabin', 'Vessel pool', 35],
  ['Terminal', 'Orla Quay', 18],
  ['Terminal', 'Tarn Ness', 20],
  ['Yard', 'Skerry Yard', 30],
  ['Office', 'Orla Quay', 14],
  ['Office', 'Tarn Ness', 4],
];

const address = (name: string): string =>
  `${name
    .toLowerCase()
    .replace(/ø/g, 'o')
    .replace(/[^a-z]+/g, '.')}@orlasund.example`;
export const emailOf = address;

/** The Monday on which the summer intake joins. */
export const INTAKE_ON = dateOf(dayOf(START_ON) + (8 - weekdayOf(dayOf(START_ON))));

/** People with a part in the story; the rest is drawn from the seed. */
export const CAST = {
  director: 'Henrik Orla',
  administrator: 'Sigrid Aune',
  trainer: 'Tora Hauge',
  yardTrainer: 'Lorna Mackay',
  auditor: 'Elias Brekke',
  deckHead: 'Ivar Moen',
  engineHead: 'Marit Nygard',
  cabinHead: 'Kari Nes',
  terminalHead: 'Duncan Farquhar',
  yardHead: 'Morag Sinclair',
  officeHead: 'Sigrid Aune',
  /** a manager on leave, and who covers */
  awayLead: 'Torill Lunde',
  coverLead: 'Odd Brandal',
  /** an employee of the yard in London time whose line is in Oslo */
  bothZones: 'Callum Reith',
  noManager: 'Bo Lervik',
  employee: 'Runa Aske',
  onLeave: 'Signe Vold',
  bounced: 'Elin Strand',
  bouncing: 'Gavin Haddow',
  full: 'Petter Holm',
} as const;

/** Departments that stand above the six, and groups made by hand. */
export const ABOVE: Readonly<Record<string, readonly string[]>> = {
  Aboard: ['Deck', 'Engine', 'Cabin'],
  Ashore: ['Terminal', 'Yard', 'Office'],
};

export interface DemoGroup {
  name: string;
  about: string;
  isIn(person: RosterRow, index: number): boolean;
}
export const GROUPS: readonly DemoGroup[] = [
  {
    name: 'Night boat',
    about: 'Sails at 22:15 and sleeps by day',
    isIn: (person, index) => person.site === 'Vessel pool' && index % 9 === 4,
  },
  {
    name: 'Fire team A',
    about: 'First at the hose, drawn anew at each crew change',
    isIn: (person, index) => person.department === 'Deck' && index % 5 === 2,
  },
  { name: 'Shore staff', about: 'Never aboard at sea', isIn: (person) => person.department === 'Office' || person.department === 'Yard' },
];

export interface Leave {
  person: string;
  from: string;
  to: string;
  cover: string | null;
}

export interface Crew {
  people: RosterRow[];
  leaves: Leave[];
  intake: string[];
}

/** Everyone: 246 people, three layers of managers. */
export function makeCrew(): Crew {
  const random = new Random(SEED);
  const taken = new Set<string>(Object.values(CAST));
  const names = random.shuffle(GIVEN.flatMap((given) => FAMILY.map((family) => `${given} ${family}`))).filter((name) => !taken.has(name));
  const people: RosterRow[] = [];
  let number = 1001;
  // some of those who sail read in another language than the house writes in
  const readsIn: Readonly<Record<number, string>> = { 3: 'nb', 5: 'pl' };
  const add = (name: string, department: string, site: string, job: string | null, manager: string | null, joinedOn?: string): void => {
    people.push({
      personnelNumber: `OF-${number++}`,
      name,
      email: address(name),
      department,
      site,
      job,
      // those who work ashore all have the chat; of those who sail, half
      chatName: site !== 'Vessel pool' || number % 2 === 0 ? address(name).split('@')[0]! : null,
      language: site === 'Vessel pool' && !taken.has(name) ? (readsIn[number % 7] ?? null) : null,
      managerEmail: manager && address(manager),
      joinedOn: joinedOn ?? dateOf(dayOf(START_ON) - random.between(400, 4200)),
      leftOn: null,
    });
  };

  add(CAST.director, 'Office', 'Orla Quay', 'Managing director', null);
  const heads: Record<string, string> = {
    Deck: CAST.deckHead,
    Engine: CAST.engineHead,
    Cabin: CAST.cabinHead,
    Terminal: CAST.terminalHead,
    Yard: CAST.yardHead,
    Office: CAST.officeHead,
  };
  for (const [department, name] of Object.entries(heads)) {
    const site = SIZES.find(([d]) => d === department)![1];
    add(
      name,
      department,
      department === 'Terminal' ? 'Tarn Ness' : site === 'Vessel pool' ? 'Orla Quay' : site,
      department === 'Office' ? 'Training administrator' : `Head of ${department.toLowerCase()}`,
      CAST.director,
    );
  }
  add(CAST.trainer, 'Office', 'Orla Quay', 'Training officer', CAST.administrator);
  add(CAST.yardTrainer, 'Yard', 'Skerry Yard', 'Yard safety trainer', CAST.yardHead);
  add(CAST.auditor, 'Office', 'Orla Quay', 'Quality auditor', CAST.director);

  const parts: Record<string, [string[], string[]]> = {
    'Deck/Vessel pool': [
      [CAST.awayLead, CAST.coverLead],
      [CAST.employee, CAST.onLeave, CAST.noManager, CAST.full],
    ],
    'Cabin/Vessel pool': [[], [CAST.bounced]],
    'Terminal/Tarn Ness': [[], [CAST.bouncing]],
    'Yard/Skerry Yard': [[], [CAST.bothZones]],
  };
  for (const [department, site, size] of SIZES) {
    const [ownLeads, ownStaff] = parts[`${department}/${site}`] ?? [[], []];
    // heads, director, trainers and auditor stand in their departments' numbers already
    const count = size - people.filter((p) => p.department === department && p.site === site).length;
    const leadCount = Math.ceil(count / 12);
    const leads: string[] = [];
    for (let i = 0; i < count; i++) {
      if (i < leadCount) {
        const name = ownLeads[i] ?? names.pop()!;
        leads.push(name);
        add(
          name,
          department,
          site,
          department === 'Deck' ? 'Chief officer' : department === 'Engine' ? 'Chief engineer' : `${department} lead`,
          heads[department]!,
        );
        continue;
      }
      const name = ownStaff[i - leadCount] ?? names.pop()!;
      const manager =
        name === CAST.noManager
          ? null
          : name === CAST.bothZones
            ? CAST.deckHead
            : name === CAST.employee || name === CAST.onLeave
              ? leads[0]!
              : random.pick(leads);
      add(name, department, site, name === CAST.employee ? 'Deckhand' : random.pick(JOBS[department]!), manager);
    }
  }
  const leadsOf = (department: string): string[] =>
    people.filter((p) => p.department === department && /lead|Chief/.test(p.job ?? '')).map((p) => p.name);
  const intake: string[] = [];
  for (let i = 0; i < 38; i++) {
    const [department, site] = random.pick([
      ['Deck', 'Vessel pool'],
      ['Deck', 'Vessel pool'],
      ['Cabin', 'Vessel pool'],
      ['Terminal', 'Orla Quay'],
      ['Terminal', 'Tarn Ness'],
    ] as const);
    const name = names.pop()!;
    intake.push(name);
    // six of the intake have no berth, and so no job title yet
    add(name, department, site, i % 6 === 5 ? null : JOBS[department]![0]!, random.pick(leadsOf(department)), INTAKE_ON);
  }
  const on = (days: number): string => dateOf(dayOf(START_ON) + days);
  const staff = people.filter((p) => !/lead|Chief|Head|director/.test(p.job ?? '') && !intake.includes(p.name) && !taken.has(p.name));
  const leaves: Leave[] = [
    { person: CAST.awayLead, from: on(-2), to: on(12), cover: CAST.coverLead },
    { person: CAST.onLeave, from: on(-3), to: on(11), cover: null },
    ...random
      .shuffle(staff)
      .slice(0, 14)
      .map((p): Leave => {
        const from = random.between(-120, 30);
        return { person: p.name, from: on(from), to: on(from + random.between(4, 16)), cover: null };
      }),
  ];
  return { people, leaves, intake };
}
