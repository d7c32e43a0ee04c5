import { randomBytes } from 'node:crypto';
import pg from 'pg';
import {
  ALL_GROUPS,
  Calendar,
  STANDARD_PLAN,
  compileAudience,
  matchColumns,
  previewRoster,
  reconcilePerson,
  type Audience,
  type LiveRequirement,
  type RequirementPerson,
  type Requirement,
  type RosterPerson,
  type Structure,
} from '@nudrik/core';
import { readTable } from '@nudrik/core/table-file';
import {
  migrate,
  openPool,
  previewRequirement,
  putPlan,
  reconcileWaiting,
  requestReconcile,
  rosterFacts,
  rows,
  takeImport,
  transaction,
  undoImport,
  type Deps,
  type Pool,
} from 'nudrik';
import Papa from 'papaparse';
import { from as copyFrom } from 'pg-copy-streams';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { report, timed, timedAsync } from './measure.ts';

const ROWS = 50_000;
const DEPARTMENTS = ['Deck', 'Engine', 'Cabin', 'Terminal', 'Yard', 'Office'];
const SITES = ['Orla Quay', 'Tarn Ness'];

/** A roster file of 50,000, a fifth of them with something new, some missing, some wrong. */
function makeFile(): { text: string; roster: RosterPerson[] } {
  const lines = ['personnel number,name,email,department,site,job,manager,joined on'];
  const roster: RosterPerson[] = [];
  for (let i = 0; i < ROWS; i++) {
    const person = {
      personnelNumber: `OF-${i}`,
      name: `Person Number ${i}`,
      email: `p${i}@orlasund.example`,
      department: DEPARTMENTS[i % 6]!,
      site: SITES[i % 2]!,
      job: 'Deckhand',
      language: null,
      chatName: null,
      managerEmail: i < 50 ? null : `p${i % 50}@orlasund.example`,
      joinedOn: '2020-05-01',
      leftOn: null,
    };
    if (i % 10 < 9) roster.push({ ...person, id: String(i + 1) });
    if (i % 500 === 499) continue;
    const job = i % 10 === 3 ? 'Boatswain' : person.job;
    lines.push(
      [
        person.personnelNumber,
        person.name,
        person.email,
        person.department,
        i % 1_000 === 7 ? 'Atlantis' : person.site,
        job,
        person.managerEmail ?? '',
        person.joinedOn,
      ].join(','),
    );
  }
  return { text: lines.join('\n'), roster };
}

async function setUp(databaseUrl: string): Promise<{ db: Pool; deps: Deps }> {
  const name = `bench_${randomBytes(4).toString('hex')}`;
  const admin = new pg.Client({ connectionString: databaseUrl });
  await admin.connect();
  await admin.query(`create database ${name}`);
  await admin.end();
  const url = databaseUrl.replace(/\/[^/]*$/, `/${name}`);
  await migrate(url);
  const db = openPool(url, 4);
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id)
     values ('Bench', 'Europe/Oslo', 'Orla Quay', 'Training', 'training@orlasund.example', 'training@orlasund.example', 'bench.example')`,
  );
  await db.query("insert into sites (name, zone) values ('Orla Quay', 'Europe/Oslo'), ('Tarn Ness', 'Europe/London')");
  const deps = {
    db,
    clock: { now: () => Date.parse('2027-03-01T08:00:00Z') },
    settings: { databaseUrl: url },
    log: { info() {}, warn() {}, error() {} },
  } as unknown as Deps;
  return { db, deps };
}

async function importBench(db: Pool, deps: Deps): Promise<void> {
  const { text, roster } = makeFile();
  const bytes = Buffer.from(text);
  const bare = timed(() => Papa.parse<string[]>(text).data.length);
  const preview = await timedAsync(async () => {
    const { cells } = await readTable(bytes);
    const matching = matchColumns(cells, { remembered: {}, sites: SITES, departments: DEPARTMENTS });
    return previewRoster(cells, matching, roster, SITES, { isComplete: true, emptyCells: 'keep', today: '2027-03-01' });
  });
  const { added, changed, left, rejected } = preview.value;
  report(
    `preview of a roster file, ${ROWS.toLocaleString('en')} rows`,
    `${preview.seconds.toFixed(2)} s, ${(preview.seconds / bare.seconds).toFixed(1)} × a bare parse`,
    'goal under 5 s',
  );

  await db.query('insert into departments (name) select unnest($1::text[])', [DEPARTMENTS]);
  await db.query(
    `insert into people (personnel_number, name, email, department_id, site_id, job, joined_on)
     select r.number, r.name, r.email, d.id, s.id, r.job, r.joined::date
     from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[], $7::text[]) as r (number, name, email, department,
       site, job, joined)
     join departments d on d.name = r.department join sites s on s.name = r.site`,
    [
      roster.map((p) => p.personnelNumber),
      roster.map((p) => p.name),
      roster.map((p) => p.email),
      roster.map((p) => p.department),
      roster.map((p) => p.site),
      roster.map((p) => p.job),
      roster.map((p) => p.joinedOn),
    ],
  );
  await db.query(
    "update people p set manager_id = m.id from people m where p.id > 50 and m.email = 'p' || " +
      "(substr(p.email, 2, strpos(p.email, '@') - 2)::integer % 50) || '@orlasund.example'",
  );
  await db.query('analyze');
  const facts = await rosterFacts(deps);
  const { cells } = await readTable(bytes);
  const { columns, dateOrder } = matchColumns(cells, facts);
  const look = previewRoster(cells, { columns, dateOrder }, facts.people, facts.sites, {
    isComplete: true,
    emptyCells: 'keep',
    today: facts.today,
  });
  const take = await timedAsync(() =>
    takeImport(
      deps,
      bytes,
      {
        fileName: 'roster.csv',
        mark: facts.mark,
        columns,
        dateOrder,
        isComplete: true,
        emptyCells: 'keep',
        groups: ALL_GROUPS,
        confirmedLeft: look.left.length,
      },
      'Bench',
    ),
  );

  const client = await db.connect();
  await client.query(
    'create temp table bare (number text, name text, email text, department text, site text, job text, manager text, joined text)',
  );
  const copy = await timedAsync(async () => {
    const body = Papa.parse<string[]>(text).data.slice(1);
    await pipeline(Readable.from(body.map((row) => `${row.join('\t')}\n`)), client.query(copyFrom('copy bare from stdin')));
  });
  client.release();
  report(
    `taking it: ${added.length.toLocaleString('en')} added, ${changed.length.toLocaleString('en')} changed, ${left.length} left, ${rejected.length} refused`,
    `${take.seconds.toFixed(2)} s, ${(take.seconds / copy.seconds).toFixed(1)} × a bare parse and COPY`,
    'goal under 10 s',
  );
}

/** What switching a requirement on for everyone would do, with every mail of the standard plan. */
async function previewBench(db: Pool, deps: Deps): Promise<void> {
  const [course] = (await rows<{ id: string }>(
    db,
    "insert into courses (id, title, required_units) overriding system value values (900, 'Lines and Gangway', '{1}') returning id",
  )) as [{ id: string }];
  await transaction(db, (client) => putPlan(client, course.id, 1, deps.clock.now(), 'Bench', STANDARD_PLAN));
  const draft = {
    name: 'Everyone',
    courseId: course.id,
    audience: { all: [] },
    due: { kind: 'after', amount: 10, unit: 'working days', event: 'assigned' },
    dueTime: '17:00',
    graceDays: 14,
    creditMonths: null,
    renewal: null,
    from: null,
    until: null,
    takesJoiners: true,
    whenOut: 'ask',
  } as const;
  const preview = await timedAsync(() => previewRequirement(deps, null, draft));
  const { assigned, mails } = preview.value;
  report(
    `previewing a requirement for ${assigned.count.toLocaleString('en')} people`,
    `${preview.seconds.toFixed(2)} s, ${mails.toLocaleString('en')} mails`,
    'linear in people',
  );
}

/** A first roster: everyone new, in lines of managers, beside a ledger that is not empty; and taken back. */
async function firstImportBench(db: Pool, deps: Deps): Promise<void> {
  const lines = ['personnel number,name,email,department,site,job,manager,joined on'];
  for (let i = 0; i < ROWS; i++)
    lines.push(
      `N-${i},New Person ${i},n${i}@orlasund.example,${DEPARTMENTS[i % 6]},${SITES[i % 2]}` +
        `,Deckhand,${i < 8 ? '' : `n${Math.floor(i / 8)}@orlasund.example`},2020-05-01`,
    );
  const bytes = Buffer.from(lines.join('\n'));
  const facts = await rosterFacts(deps);
  const { columns, dateOrder } = matchColumns((await readTable(bytes)).cells, facts);
  const take = await timedAsync(() =>
    takeImport(
      deps,
      bytes,
      {
        fileName: 'first.csv',
        mark: facts.mark,
        columns,
        dateOrder,
        isComplete: false,
        emptyCells: 'keep',
        groups: ALL_GROUPS,
        confirmedLeft: null,
      },
      'Bench',
    ),
  );
  report(`taking ${ROWS.toLocaleString('en')} who are all new`, `${take.seconds.toFixed(2)} s`, 'goal under 10 s');
  await previewBench(db, deps);
  const undo = await timedAsync(() => undoImport(deps, take.value.id!, 'Bench'));
  report('undoing that', `${undo.seconds.toFixed(2)} s`, 'goal under 10 s');
}

const PARTS: readonly Audience[] = [
  { department: ['1', '2'], below: true },
  { site: ['1'] },
  { not: { group: ['3'] } },
  { joinedWithin: 900 },
  { line: ['7'] },
  { job: ['Deckhand', 'Boatswain'] },
  { lacks: ['c1'] },
  { any: [{ holds: ['c2'] }, { joinedBefore: '2022-01-01' }] },
];
const aRequirement = (n: number): Requirement => ({
  id: `r${n}`,
  name: `Requirement ${n}`,
  course: `c${n % 25}`,
  audience: { all: [PARTS[n % 8]!, PARTS[(n * 3 + 1) % 8]!, PARTS[(n * 5 + 2) % 8]!] },
  due: { kind: 'after', amount: 10, unit: 'working days', event: 'assigned' },
  dueTime: '17:00',
  graceDays: 14,
  creditMonths: null,
  renewal: { months: 12, leadDays: 30 },
  from: null,
  until: null,
  takesJoiners: true,
  whenOut: 'ask',
  switchedOnAt: Date.parse('2027-02-01T08:00:00Z'),
});

function audienceBench(): void {
  const people: RequirementPerson[] = Array.from({ length: 20_000 }, (_, i) => ({
    id: String(i),
    name: `Person ${i}`,
    number: `OF-${i}`,
    department: String(1 + (i % 30)),
    site: String(1 + (i % 4)),
    groups: i % 5 ? [] : [String(i % 7)],
    job: ['Deckhand', 'Cook', 'Fitter'][i % 3]!,
    manager: i < 8 ? null : String(i < 400 ? i % 8 : 8 + (i % 392)),
    joinedOn: `20${15 + (i % 12)}-05-01`,
    leftOn: null,
    held: i % 3 ? [{ course: `c${i % 9}`, until: '2027-09-01' }] : [],
    jobSince: null,
    memberOf: [],
  }));
  const structure: Structure = {
    parentOf: (id) => (Number(id) > 6 ? String(1 + (Number(id) % 6)) : null),
    managerOf: (id) => people[Number(id)]?.manager ?? null,
  };
  const requirements = Array.from({ length: 50 }, (_, n) => aRequirement(n));
  const matchers = requirements.map(({ audience }) => compileAudience(audience, structure, '2027-03-01'));
  const raw = timed(() => {
    let count = 0;
    for (let n = 0; n < 50; n++) for (const person of people) if (person.department === '1' || person.site === '1') count += 1;
    return count;
  });
  const ask = (): number => {
    let count = 0;
    for (const { test } of matchers) for (const person of people) if (test(person)) count += 1;
    return count;
  };
  ask();
  const asked = timed(ask);
  report(
    'audiences: 20,000 people × 50 requirements',
    `${asked.seconds.toFixed(2)} s, ${(asked.seconds / Math.max(raw.seconds, 1e-4)).toFixed(0)} × a bare ` +
      `loop, ${Math.round(1e6 / asked.seconds / 1e6)} million a second`,
    'goal without a wait: 50 in 1 s',
  );

  const calendar = new Calendar({ id: 'orla', zone: 'Europe/Oslo', workingDays: [1, 2, 3, 4, 5], holidays: [] });
  const live: LiveRequirement[] = requirements.map((requirement, n) => ({ requirement, matcher: matchers[n]! }));
  const now = Date.parse('2027-03-01T09:00:00Z');
  const reconcile = (list: readonly RequirementPerson[]): number =>
    list.reduce(
      (sum, person) => sum + reconcilePerson(live, { person, calendar, now, morning: '08:00', records: new Map() }).changes.length,
      0,
    );
  reconcile(people.slice(0, 500));
  const all = timed(() => reconcile(people));
  report(
    'reconciling 20,000 people with 50 requirements, in the core',
    `${all.seconds.toFixed(2)} s, ${all.value.toLocaleString('en')} assignments asked for`,
    'linear in people',
  );
}

const INSERT_REQUIREMENTS = `
insert into requirements (name, course_id, audience, due, is_on, switched_on_at, changed_at, changed_by)
select 'R' || n, 1, jsonb_build_object('all', jsonb_build_array(jsonb_build_object('department', jsonb_build_array((1 + n % 6)::text),
  'below', true), jsonb_build_object('number', jsonb_build_array('OF-' || n)))),
  '{"kind":"after","amount":10,"unit":"days","event":"assigned"}', true, '2027-02-01', '2027-02-01', 'Bench'
from generate_series(1, 50) n
`;

/** One person's reconcile against PostgreSQL, with a small roster and with a large one: the cost is the person's, not the roster's. */
async function oneReconcile(db: Pool, deps: Deps): Promise<void> {
  await db.query("insert into courses (title, required_units) values ('Fire Teams Aboard', '{1}')");
  await db.query("insert into plans (course_id, version, published_at, steps) values (1, 1, '2027-02-01', '[]')");
  await db.query(INSERT_REQUIREMENTS);
  const one = async (): Promise<number> => {
    const times: number[] = [];
    const ids = (await rows<{ id: string }>(db, 'select id from people where id > 50 order by id limit 40')).map(({ id }) => id);
    for (const id of ids) {
      await db.query('delete from reconcile');
      await transaction(db, (client) => requestReconcile(client, [id]));
      times.push((await timedAsync(() => reconcileWaiting(deps))).seconds);
    }
    return times.sort((a, b) => a - b)[20]!;
  };
  await one();
  const large = await one();
  const [{ count }] = (await rows<{ count: number }>(db, 'select count(*)::integer as count from people')) as [{ count: number }];
  await db.query('truncate reconcile, wakes');
  await db.query(
    'update people set manager_id = null where id > 2000; delete from person_changes where person_id > 2000; delete from people where id > 2000',
  );
  await db.query('analyze');
  const small = await one();
  report(
    `reconciling one person, among ${count.toLocaleString('en')} and among 2,000`,
    `${(large * 1000).toFixed(1)} ms and ${(small * 1000).toFixed(1)} ms: ${(large / small).toFixed(2)} ×`,
    'independent of the roster: about 1 ×',
  );
}

/** Roster files, audiences, reconciling. */
export async function peopleBench(databaseUrl: string): Promise<void> {
  audienceBench();
  const { db, deps } = await setUp(databaseUrl);
  await importBench(db, deps);
  await firstImportBench(db, deps);
  await oneReconcile(db, deps);
  await db.end();
}
