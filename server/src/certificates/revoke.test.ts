import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { transaction } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { timelineOf } from '../people/timeline.ts';
import { requestReconcile } from '../requirements/queue.ts';
import { addRequirement, switchOn } from '../requirements/change.ts';
import { rows } from '../db/db.ts';
import { linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { listCertificates, verify } from './certificates.repo.ts';
import { revokeCertificate } from './revoke.ts';

let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await house.db.query('update settings set settle_minutes = 0');
  const { id } = await addRequirement(
    house.deps,
    {
      name: 'Fire teams', courseId: course, audience: { all: [] }, due: { kind: 'after', amount: 14, unit: 'days', event: 'assigned' }, dueTime: '17:00', graceDays: 7, creditMonths: null,
      renewal: null, from: null, until: null, takesJoiners: true, whenOut: 'ask',
    },
    'Sigrid Aune',
  ); // prettier-ignore
  await switchOn(house.deps, id, 1, 'Sigrid Aune');
  await drain(house.deps, house.mailer);
});
afterAll(() => house.close());

const ofRuna = 'select id, round, closed_by from assignments where person_id = $1::bigint order by round';

describe('a certificate that is revoked', () => {
  it('is held no more: who and why are on the record, the checker is told, and the course is asked for again', async () => {
    const [first] = await rows<{ id: string }>(house.db, ofRuna, [crew['runa']]);
    const link = await linkInto(house, first!.id);
    for (const section of (await findLearning(house.deps, link)).sections)
      for (const unit of section.units) await markUnitDone(house.deps, link, unit.id);
    await drain(house.deps, house.mailer);
    const [{ serial }] = (await rows<{ serial: string }>(house.db, 'select serial from certificates')) as [{ serial: string }];
    const [{ count: before }] = (await rows<{ count: number }>(
      house.db,
      "select count(*)::integer as count from notices where assignment_id = $1::bigint and step_name = 'Certificate'",
      [first!.id],
    )) as [{ count: number }];
    expect(before).toBe(1);

    house.clock.at += 3_600_000;
    await revokeCertificate(house.deps, serial, 'The practical part was not done', 'Sigrid Aune');
    expect(await verify(house.db, serial, '2027-03-01')).toMatchObject({ answer: 'revoked' });
    const { rows: revoked, total } = await listCertificates(house.db, { state: 'revoked', page: 0, size: 10 }, '2027-03-01');
    expect([total, revoked[0]!.state, revoked[0]!.revoked]).toEqual([
      1,
      'revoked',
      { by: 'Sigrid Aune', at: new Date(house.clock.at).toISOString(), reason: 'The practical part was not done' },
    ]);
    expect((await listCertificates(house.db, { state: 'current', page: 0, size: 10 }, '2027-03-01')).total).toBe(0);
    expect((await timelineOf(house.db, crew['runa']!, house.clock.at)).map(({ words }) => words).join('\n')).toContain(
      'The practical part was not done',
    );

    await drain(house.deps, house.mailer);
    expect(
      (await rows<{ round: number; closed_by: string | null }>(house.db, ofRuna, [crew['runa']])).map(({ round, closed_by }) => [
        round,
        closed_by,
      ]),
    ).toEqual([
      [1, 'finished'],
      [2, null],
    ]);
    // nothing about the running out of what is not held any more goes
    const ahead = await rows(
      house.db,
      "select 1 from notices where assignment_id = $1::bigint and state in ('planned', 'held') and kind = 'expiry'",
      [first!.id],
    );
    expect(ahead).toEqual([]);
    await expect(revokeCertificate(house.deps, serial, 'twice', 'Sigrid Aune')).rejects.toMatchObject({ code: 'conflict' });
    await expect(revokeCertificate(house.deps, '7F3K-9QWD-X', 'none', 'Sigrid Aune')).rejects.toMatchObject({ code: 'not-found' });
    // looking again changes nothing
    await transaction(house.db, (client) => requestReconcile(client, [crew['runa']!]));
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, ofRuna, [crew['runa']])).toHaveLength(2);
  });
});
