import { STANDARD_PLAN } from '@nudrik/core';
import { insertCourse, migrate, openPool, planWaiting, putPlan, rows, saveSections, transaction, type Deps } from 'nudrik';
import { report, timedAsync } from './measure.ts';

const COUNT = 20_000;

const SEED_PEOPLE = `
insert into people (name, email, department_id, site_id, manager_id)
select 'Person ' || n, 'p' || n || '@orlasund.example', 1, 1 + n % 2, null
from generate_series(1, ${COUNT}) n
`;
const SEED_ASSIGNMENTS = `
insert into assignments (person_id, course_id, assigned_at, first_due_at, due_at, token)
select id, 1, '2027-03-01T08:00Z', '2027-03-22T16:00Z'::timestamptz + (id % 20) * interval '1 day',
  '2027-03-22T16:00Z'::timestamptz + (id % 20) * interval '1 day', 'token-' || id
from people
`;
/** The same rows, as SQL alone would write them: what the planner is held against. */
const REFERENCE = `
insert into notices (
  assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at,
    on_day, try_at, state, recipient_id, recipient_name
)
select
  assignment_id, course_id, person_id, step_id, step_name, kind, revision, occurrence, to_role, gathered, anchor_at, moment, known_at, at,
    on_day, try_at, state, recipient_id, recipient_name
from kept
`;

/** Planning and storing 20,000 assignments × the standard plan against the same rows by INSERT … SELECT. */
export async function storingBench(databaseUrl: string): Promise<void> {
  await migrate(databaseUrl);
  const db = openPool(databaseUrl, 4);
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id)
     values ('Bench', 'Europe/Oslo', 'Orla Quay', 'Training', 'training@orlasund.example', 'training@orlasund.example', 'bench.example')`,
  );
  await db.query("insert into sites (name, zone) values ('Orla Quay', 'Europe/Oslo'), ('Tarn Ness', 'Europe/London')");
  await db.query("insert into departments (name) values ('Deck')");
  await db.query(SEED_PEOPLE);
  await db.query('update people set manager_id = 1 + id % 40 where id > 40');
  await transaction(db, async (client) => {
    const id = await insertCourse(client, {
      title: 'Fire Teams Aboard',
      code: null,
      summary: 'Two teams.',
      ownerId: '1',
      validity: null,
      sections: [],
    });
    await saveSections(client, id, []);
    // six steps, one notice each: without the repeats and the step that waits
    const steps = STANDARD_PLAN.filter((step) => step.id !== 'certificate').map((step) => ({ ...step, repeat: null }));
    await putPlan(client, id, 1, Date.parse('2027-02-01T00:00Z'), null, [
      ...steps,
      { ...steps[2]!, id: 'one-day-to-go', offset: { amount: -24, unit: 'hours' } },
    ]);
  });
  await db.query(SEED_ASSIGNMENTS);
  await db.query('analyze');
  const deps = {
    db,
    clock: { now: () => Date.parse('2027-03-01T08:00:00Z') },
    settings: { databaseUrl },
    log: { info() {}, warn() {}, error() {} },
  } as unknown as Deps;

  const runs: { planned: number; reference: number }[] = [];
  for (let run = 0; run < 3; run++) {
    await db.query('truncate notices cascade');
    await db.query('insert into replan (assignment_id) select id from assignments');
    const planned = await timedAsync(async () => {
      while ((await planWaiting(deps)) > 0);
    });
    await db.query('drop table if exists kept');
    await db.query('create table kept as select * from notices order by id');
    await db.query('truncate notices cascade');
    const reference = await timedAsync(() => db.query(REFERENCE));
    runs.push({ planned: planned.seconds, reference: reference.seconds });
  }
  const [{ count }] = (await rows<{ count: number }>(db, 'select count(*)::integer as count from notices')) as [{ count: number }];
  const best = runs.map(({ planned, reference }) => planned / reference).sort((a, b) => a - b)[1]!;
  const median = runs.map(({ planned }) => planned).sort((a, b) => a - b)[1]!;
  report(
    `planning and storing ${COUNT.toLocaleString('en')} assignments, ${count.toLocaleString('en')} notices`,
    `${best.toFixed(2)} × INSERT … SELECT (${Math.round(count / median).toLocaleString('en')}/s)`,
    'goal 2 ×',
  );

  await db.query('insert into replan (assignment_id) values ((select max(id) from assignments))');
  const one = await timedAsync(() => planWaiting(deps));
  report('replanning one person among 20,000', `${Math.round(one.seconds * 1000)} ms`, 'independent of the roster');
  await db.end();
}
