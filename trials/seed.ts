import { STANDARD_PLAN } from '@nudrik/core';
import { insertCourse, migrate, oneRow, openPool, putPlan, rows, saveSections, transaction, type Pool } from 'nudrik';

/** A house on real time whose letters may go at any hour: people, managers over them, one course with its plan. */
export async function seedHouse(databaseUrl: string, people: number): Promise<{ db: Pool; course: string; people: string[] }> {
  await migrate(databaseUrl);
  const db = openPool(databaseUrl, 4);
  await db.query(
    `insert into settings (organisation, house_zone, house_place, sender_name, sender_address, reply_to, list_id, window_from, window_to, daily_limit)
     values ('Orlasund Ferries', 'Europe/Oslo', 'Orla Quay', 'Training', 'training@orlasund.example', 'tora.hauge@orlasund.example',
       'training.orlasund.example', '00:00', '23:59', null)`,
  );
  await db.query("insert into sites (name, zone, working_days) values ('Orla Quay', 'Europe/Oslo', '{1,2,3,4,5,6,7}')");
  await db.query("insert into departments (name) values ('Deck')");
  await db.query(
    `insert into people (name, email, department_id, site_id)
     select 'Deckhand ' || n, 'deckhand' || n || '@orlasund.example', 1, 1 from generate_series(1, $1::integer) n`,
    [people],
  );
  await db.query('update people set manager_id = 1 + id % 20 where id > 20');
  const course = await transaction(db, async (client) => {
    const id = await insertCourse(client, {
      title: 'Fire Teams Aboard',
      code: null,
      summary: 'Two teams.',
      ownerId: '1',
      validity: null,
      sections: [],
    });
    await saveSections(client, id, []);
    const invitation = STANDARD_PLAN.find(({ kind }) => kind === 'invitation')!;
    await putPlan(client, id, 1, Date.now() - 86_400_000, null, [{ ...invitation, window: 'exact' }]);
    return id;
  });
  await db.query('analyze');
  return { db, course, people: (await rows<{ id: string }>(db, 'select id from people order by id')).map(({ id }) => id) };
}

const ASSIGN = `
insert into assignments (person_id, course_id, round, assigned_at, first_due_at, due_at, token)
select p, $1::bigint, $3::integer, now(), now() + interval '14 days', now() + interval '14 days', 'token-' || $3::integer || '-' || p
from unnest($2::bigint[]) p
returning id
`;
const CLOSE_FORMER = "update assignments set closed_by = 'withdrawn', closed_at = now() where course_id = $1::bigint and closed_by is null";

/** Assigns the course to some people for one more round, as something that happens while letters of the round before still go. */
export async function assignRound(db: Pool, course: string, people: readonly string[], round: number): Promise<string[]> {
  return transaction(db, async (client) => {
    // one is open at a time; the round before keeps what it has planned, since its events do not say that it ended
    await client.query(CLOSE_FORMER, [course]);
    const made = await rows<{ id: string }>(client, ASSIGN, [course, people, round]);
    const ids = made.map(({ id }) => id);
    await client.query(
      `insert into assignment_events (assignment_id, type, at, data)
       select a, 'assigned', now(), jsonb_build_object('dueAt', now() + interval '14 days') from unnest($1::bigint[]) a`,
      [ids],
    );
    await client.query('insert into replan (assignment_id) select unnest($1::bigint[])', [ids]);
    await client.query("select pg_notify('nudrik', 'work')");
    return ids;
  });
}

export const count = async (db: Pool, sql: string, values: unknown[] = []): Promise<number> =>
  (await oneRow<{ n: number }>(db, sql, values)).n;
