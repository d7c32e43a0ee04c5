import { once } from 'node:events';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { STANDARD_PLAN } from '@nudrik/core';
import { hashPassword, insertCourse, keepVersion, migrate, openPool, putPlan, rows, saveSections, transaction, type Pool } from 'nudrik';

/** How large it is; the sizes that the goals speak of. */
export const SIZE = { people: Number(process.env['NUDRIK_BENCH_PEOPLE'] ?? 50_000), courses: 20, noticesEach: 5 };

/** What time it is there. */
export const HOUSE_NOW = Date.parse('2027-03-01T09:30:00Z');
const DAY = 86_400_000;

export const WORKED_BY = { email: 'sigrid.aune@orlasund.example', password: 'a long password of the bench' };

const DEPARTMENTS = ['Deck', 'Engine', 'Cabin', 'Terminal', 'Yard', 'Office'];
const SITES: readonly (readonly [string, string])[] = [
  ['Orla Quay', 'Europe/Oslo'],
  ['Tarn Ness', 'Europe/London'],
  ['Sund Yard', 'Europe/Oslo'],
  ['Far Skerry', 'Atlantic/Reykjavik'],
];
const JOBS = ['Deckhand', 'Boatswain', 'Cook', 'Fitter', 'Mate', 'Steward'];
const FIRST = ['Runa', 'Per', 'Odd', 'Kari', 'Tora', 'Ivar', 'Liv', 'Aslak', 'Birte', 'Eskil', 'Signe', 'Torleif', 'Unni', 'Vebjorn'];
const LAST = ['Aske', 'Lunde', 'Moen', 'Vik', 'Haug', 'Berge', 'Strand', 'Nes', 'Dahl', 'Tveit', 'Fosse', 'Solli', 'Aune'];
const COURSES = Array.from({ length: SIZE.courses }, (_, n) => `Course of the House No ${n + 1}`);

/** A number that looks like chance and is the same each time. @returns 0 … below */
function mix(a: number, b: number, below: number): number {
  let h = Math.imul(a ^ 0x9e3779b9, 0x85ebca6b) ^ Math.imul(b + 0x7f4a7c15, 0xc2b2ae35);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  return ((h ^ (h >>> 13)) >>> 0) % below;
}

const iso = (at: number): string => new Date(at).toISOString();
const day = (at: number): string => iso(at).slice(0, 10);

/** Writes rows by COPY. `\\N` is null. */
async function copy(db: pg.ClientBase, table: string, columns: string, lines: Iterable<string>): Promise<void> {
  const stream = db.query(copyFrom(`copy ${table} (${columns}) from stdin`));
  const done = new Promise<void>((resolve, reject) => stream.on('finish', resolve).on('error', reject));
  let chunk: string[] = [];
  const flush = async (): Promise<void> => {
    const text = chunk.join('');
    chunk = [];
    if (!stream.write(text)) await once(stream, 'drain');
  };
  for (const line of lines) if (chunk.push(line + '\n') >= 2_000) await flush();
  await flush();
  stream.end();
  await done;
}

interface Made {
  id: number;
  person: number;
  course: number;
  round: number;
  assignedAt: number;
  dueAt: number;
  startedAt: number | null;
  closedAt: number | null;
  closedBy: 'finished' | 'withdrawn' | null;
}

/** Every assignment: most are finished, one in seven is open, one in a hundred late, some are withdrawn. */
function* assignments(): Generator<Made> {
  let id = 0;
  for (let person = 1; person <= SIZE.people; person++)
    for (let place = 1; place <= SIZE.courses; place++) {
      // of every second course a quarter has a second round, instead of the course after it
      const isTwice = mix(person, (place + 1) >> 1, 4) === 0;
      const round = isTwice && place % 2 === 0 ? 2 : 1;
      const chance = mix(person, place, 100);
      const isOpen = chance < 16 && !(isTwice && round === 1);
      const isLate = isOpen && mix(place, person, 14) === 0;
      const days = mix(person, place + 77, isTwice ? 330 : 700);
      const age = isOpen ? (days % 14) + (isLate ? 25 : 0) : 26 + days + (isTwice && round === 1 ? 360 : 0);
      const assignedAt = HOUSE_NOW - age * DAY;
      const closedBy = isOpen ? null : mix(person, place + 5, 20) === 0 ? 'withdrawn' : 'finished';
      id += 1;
      yield {
        id,
        person,
        course: round === 2 ? place - 1 : place,
        round,
        assignedAt,
        dueAt: assignedAt + 21 * DAY + 6 * 3_600_000,
        startedAt: closedBy === 'withdrawn' || chance % 3 === 0 ? null : assignedAt + DAY / 2,
        closedAt: closedBy === null ? null : assignedAt + (1 + mix(person, place + 9, 24)) * DAY,
        closedBy,
      };
    }
}

const STEPS = [
  ['invitation', 'Invitation', 'invitation', 0, 'employee', 'f'],
  ['week-before', 'One week to go', 'due-reminder', 14, 'employee', 'f'],
  ['day-before', 'One day to go', 'due-reminder', 20, 'employee', 'f'],
  ['overdue', 'Overdue', 'overdue', 22, 'employee', 't'],
  ['to-the-manager', 'To the manager', 'escalation', 24, 'manager', 't'],
] as const;

function* notices(): Generator<string> {
  for (const a of assignments())
    for (const [n, [step, name, kind, after, to, gathered]] of STEPS.entries()) {
      const at = a.assignedAt + after * DAY;
      const isPast = at <= HOUSE_NOW;
      const isNeeded = a.closedAt === null || at < a.closedAt;
      const state = !isPast
        ? a.closedAt === null
          ? mix(a.id, n, 50) === 0
            ? 'held'
            : 'planned'
          : 'cancelled'
        : !isNeeded
          ? 'skipped'
          : mix(a.id, n, 400) === 0
            ? 'bounced'
            : 'delivered';
      const recipient = to === 'employee' ? a.person : managerOf(a.person);
      const isSent = state === 'delivered' || state === 'bounced';
      const held = state === 'held' ? (mix(a.id, n, 3) === 0 ? 'missing-value' : 'leave') : '\\N';
      yield [
        a.id,
        a.course,
        a.person,
        step,
        name,
        kind,
        1,
        1,
        to,
        gathered,
        iso(a.assignedAt),
        iso(at),
        iso(a.assignedAt),
        iso(at),
        day(at),
        state === 'planned' || held === 'leave' ? iso(at) : '\\N',
        state,
        state === 'skipped' ? 'finished' : state === 'cancelled' ? 'closed' : '\\N',
        held,
        recipient ?? '\\N',
        recipient === null ? '\\N' : nameOf(recipient),
        state === 'planned' ? '\\N' : 'It went as the plan says, and what became of it is on the record.',
        isSent ? 1 : 0,
        isSent || state === 'skipped' ? iso(at) : '\\N',
        isSent ? iso(at) : '\\N',
      ].join('\t');
    }
}

const nameOf = (person: number): string => `${FIRST[person % FIRST.length]} ${LAST[(person >> 3) % LAST.length]} ${person}`;
/** Lines of managers, eight below each down five levels; everyone below one of the first 6,250. */
const managerOf = (person: number): number | null => (person <= 8 ? null : Math.max(1, Math.floor(person / 8)));

function* people(): Generator<string> {
  for (let n = 1; n <= SIZE.people; n++)
    yield [
      n,
      `OF-${n}`,
      nameOf(n),
      `p${n}@orlasund.example`,
      1 + mix(n, 3, 48),
      1 + (n % SITES.length),
      JOBS[mix(n, 4, JOBS.length)],
      managerOf(n) ?? '\\N',
      `20${15 + (n % 12)}-05-01`,
      n % 40 === 39 ? '2026-12-01' : '\\N',
      n % 700 === 3 ? 'bounced' : 'ok',
    ].join('\t');
}

function* mapped(of: (a: Made) => string | string[] | null): Generator<string> {
  for (const a of assignments()) {
    const line = of(a);
    if (Array.isArray(line)) yield* line;
    else if (line !== null) yield line;
  }
}

const LIST_INDEXES = `
select i.indexrelid::regclass::text as name, pg_get_indexdef(i.indexrelid) as sql
from pg_index i
where i.indrelid = $1::regclass
  and not exists (select 1 from pg_constraint c where c.conindid = i.indexrelid)
`;

/** Fills a table as quickly as can be: its indexes are made afterwards. */
async function filled(db: pg.ClientBase, table: string, columns: string, lines: Iterable<string>): Promise<void> {
  const indexes = (await db.query(LIST_INDEXES, [table])).rows as { name: string; sql: string }[];
  for (const { name } of indexes) await db.query(`drop index ${name}`);
  await copy(db, table, columns, lines);
  for (const { sql } of indexes) await db.query(sql);
}

async function structure(db: Pool): Promise<void> {
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id)
     values ('Orlasund Ferries', 'Europe/Oslo', 'Orla Quay', 'Training', 'training@orlasund.example', 'training@orlasund.example', 'bench.example')`,
  );
  await db.query('insert into sites (name, zone) select * from unnest($1::text[], $2::text[])', [
    SITES.map(([name]) => name),
    SITES.map(([, zone]) => zone),
  ]);
  await db.query('insert into departments (name) select unnest($1::text[])', [DEPARTMENTS]);
  await db.query(
    `insert into departments (name, parent_id) select d.name || ' ' || n, d.id from departments d, generate_series(1, 7) n order by n, d.id`,
  );
  const client = await db.connect();
  await copy(
    client,
    'people',
    'id, personnel_number, name, email, department_id, site_id, job, manager_id, joined_on, left_on, address_state',
    people(),
  );
  client.release();
  await db.query("select setval(pg_get_serial_sequence('people', 'id'), (select max(id) from people))");
  await db.query("insert into groups (name) select 'Crew ' || n from generate_series(1, 20) n");
  await db.query('insert into group_members (group_id, person_id) select 1 + id % 20, id from people where id % 3 = 0');
  for (const title of COURSES)
    await transaction(db, async (client) => {
      const id = await insertCourse(client, {
        title,
        code: null,
        summary: 'Of the bench.',
        ownerId: '1',
        validity: { count: 12, unit: 'months', toMonthEnd: false },
        sections: [],
      });
      const unit = (name: string) => ({
        id: null,
        kind: 'page' as const,
        title: name,
        required: true,
        body: '<p>Read me.</p>',
        url: null,
        fileId: null,
      });
      await saveSections(client, id, [{ id: null, title: 'One', units: [unit('First'), unit('Second'), unit('Third')] }]);
      await keepVersion(client, id, HOUSE_NOW - 900 * DAY, 'Bench');
      await putPlan(client, id, 1, HOUSE_NOW - 900 * DAY, 'Bench', STANDARD_PLAN);
    });
  await db.query(
    `insert into requirements (name, course_id, audience, due, is_on, switched_on_at, changed_at, changed_by, renewal)
     select 'All hands: ' || title, id,
       case when id % 3 = 0 then jsonb_build_object('department', jsonb_build_array((1 + id % 6)::text), 'below', true) else '{"all": []}'::jsonb end,
       '{"kind":"after","amount":21,"unit":"days","event":"assigned"}', true, $1::timestamptz, $1::timestamptz, 'Bench',
       '{"months": 12, "leadDays": 30}'
     from courses`,
    [iso(HOUSE_NOW - 900 * DAY)],
  );
  await db.query('delete from reconcile');
  await db.query('insert into accounts (email, name, role, person_id, password_hash) values ($1::text, $2::text, $3::text, 1, $4::text)', [
    WORKED_BY.email,
    'Sigrid Aune',
    'administrator',
    await hashPassword(WORKED_BY.password),
  ]);
}

const interval = (a: Made, from: number, to: number | null, closedBy: string | null): string =>
  [
    a.id,
    iso(from),
    to === null ? '\\N' : iso(to),
    iso(a.dueAt),
    closedBy ?? '\\N',
    closedBy === 'withdrawn' ? 'by-hand' : '\\N',
    't',
    't',
    a.course,
    a.startedAt === null ? '\\N' : iso(a.startedAt),
    closedBy === null ? '\\N' : iso(from),
  ].join('\t');

async function work(db: pg.ClientBase): Promise<void> {
  await filled(
    db,
    'assignments',
    'id, person_id, course_id, round, assigned_at, first_due_at, due_at, started_at, closed_at, closed_by, closed_because, token, is_by_hand, finished_version',
    mapped((a) =>
      [
        a.id,
        a.person,
        a.course,
        a.round,
        iso(a.assignedAt),
        iso(a.dueAt),
        iso(a.dueAt),
        a.startedAt === null ? '\\N' : iso(a.startedAt),
        a.closedAt === null ? '\\N' : iso(a.closedAt),
        a.closedBy ?? '\\N',
        a.closedBy === 'withdrawn' ? 'by-hand' : '\\N',
        `token-of-the-bench-${a.id}`,
        'f',
        a.closedBy === 'finished' ? 1 : '\\N',
      ].join('\t'),
    ),
  );
  await db.query("select setval(pg_get_serial_sequence('assignments', 'id'), (select max(id) from assignments))");
  await filled(
    db,
    'assignment_events',
    'assignment_id, type, at, data, by_whom',
    mapped((a) => [
      [a.id, 'assigned', iso(a.assignedAt), JSON.stringify({ dueAt: iso(a.dueAt) }), '\\N'].join('\t'),
      ...(a.closedBy
        ? [[a.id, a.closedBy, iso(a.closedAt!), a.closedBy === 'finished' ? '{"version": 1}' : '{"because": "by-hand"}', '\\N'].join('\t')]
        : []),
    ]),
  );
  await filled(
    db,
    'assignment_intervals',
    'assignment_id, from_at, to_at, due_at, closed_by, closed_because, is_then, is_now, course_id, started_at, closed_at',
    mapped((a) => [interval(a, a.assignedAt, a.closedAt, null), ...(a.closedBy ? [interval(a, a.closedAt!, null, a.closedBy)] : [])]),
  );
  await filled(
    db,
    'assignment_reasons',
    'assignment_id, requirement_id, since, due_at, words',
    mapped((a) => [a.id, a.course, iso(a.assignedAt), iso(a.dueAt), '21 days after it was assigned'].join('\t')),
  );
  await db.query(
    'insert into reason_times (assignment_id, requirement_id, from_at) select assignment_id, requirement_id, since from assignment_reasons',
  );
  await filled(
    db,
    'certificates',
    'assignment_id, person_id, course_id, serial, person_name, course_title, issued_on, expires_on, issued_at',
    mapped((a) =>
      a.closedBy === 'finished'
        ? [
            a.id,
            a.person,
            a.course,
            `BENCH-${a.id}`,
            nameOf(a.person),
            COURSES[a.course - 1],
            day(a.closedAt!),
            day(a.closedAt! + 365 * DAY),
            iso(a.closedAt!),
          ].join('\t')
        : null,
    ),
  );
  await filled(
    db,
    'notices',
    'assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, ' +
      'at, on_day, try_at, state, because, held_because, recipient_id, recipient_name, sentence, attempts, decided_at, sent_at',
    notices(),
  );
  await db.query(MEMBERS);
  await db.query('delete from reconcile');
}

// who is in the audience of each requirement, as reconciling writes it
const MEMBERS = `
with recursive below (id, top) as (
  select id, id from departments
  union all
  select d.id, b.top from below b join departments d on d.parent_id = b.id
)
insert into audience_members (requirement_id, person_id, joined_on, left_on, is_asked)
select q.id, p.id, coalesce(p.joined_on, '1970-01-01'), coalesce(p.left_on, 'infinity'), true
from requirements q
join people p on not q.audience ? 'department' or exists (
  select from below b where b.id = p.department_id and b.top = (q.audience -> 'department' ->> 0)::bigint
)
`;

const COUNT = 'select count(*)::integer as count from pg_tables where tablename = $1::text';

/**
 * A house of 50,000 people, a million assignments and five million notices, made by COPY and kept between runs; it is migrated
 * like any other.
 * @returns its database's url
 */
export async function largeHouse(databaseUrl: string): Promise<string> {
  const name = `large_house_${SIZE.people}`;
  const url = databaseUrl.replace(/\/[^/]*$/, `/${name}`);
  const admin = new pg.Client({ connectionString: databaseUrl });
  await admin.connect();
  const [there] = (await admin.query('select 1 from pg_database where datname = $1', [name])).rows;
  const isWhole = there && (await isBuilt(url));
  if (!isWhole) {
    await admin.query(`drop database if exists ${name} with (force)`);
    await admin.query(`create database ${name}`);
  }
  await admin.end();
  await migrate(url);
  if (isWhole) return url;
  const db = openPool(url, 1);
  await structure(db);
  await db.end();
  // a connection that may take its time, and checks nothing that is right by how it is made
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  await client.query("set maintenance_work_mem = '512MB'");
  await client.query('set session_replication_role = replica');
  await work(client);
  await client.query('set session_replication_role = origin');
  await client.query('select recount_figures()');
  await client.query('vacuum analyze');
  await client.query('create table built ()');
  await client.end();
  return url;
}

async function isBuilt(url: string): Promise<boolean> {
  const db = openPool(url, 1);
  try {
    return (await rows<{ count: number }>(db, COUNT, ['built']))[0]!.count === 1;
  } finally {
    await db.end();
  }
}
