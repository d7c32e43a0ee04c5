import { dateOf, Zone } from '@nudrik/core';
import type { NoticeAct, NoticeSheet } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { findStep, type Facts } from './facts.ts';

interface NoticeRow {
  state: string;
  because: string | null;
  step_name: string;
  moment: Date;
}

// the dispatcher takes notices with skip locked: one that it holds is on its way, and waited for
const LOCK = `
select state, because, step_name, moment
from notices
where id = $1::bigint
for update
`;
const SKIP = `
update notices
set state = 'skipped', because = 'by-hand', decided_at = $2::timestamptz, try_at = null, sentence = $3::text, trace = $4::jsonb, by_hand = $5::jsonb
where id = $1::bigint
`;
const SEND = `
update notices
set state = 'planned', held_because = null, at = $2::timestamptz, on_day = $3::date, try_at = $2::timestamptz, by_hand = $4::jsonb
where id = $1::bigint
`;
const RESTORE = `
update notices
set state = 'planned', because = null, decided_at = null, sentence = null, trace = null, at = moment, on_day = $2::date, try_at = moment, by_hand = $3::jsonb
where id = $1::bigint
`;

/** Locks a notice that is still to come. */
async function lockOpen(client: Client, id: string, what: string): Promise<NoticeRow> {
  const notice = await maybeRow<NoticeRow>(client, LOCK, [id]);
  if (!notice) throw new Refused('not-found', 'There is no such notice, or not any more.');
  if (notice.state !== 'planned' && notice.state !== 'held')
    throw new Refused(
      'conflict',
      `“${notice.step_name}” is ${notice.state === 'sending' ? 'on its way' : notice.state} already, so it cannot be ${what}. Nothing was changed.`,
    );
  return notice;
}

const byHand = (what: NoticeAct['what'], by: string, at: number, reason: string | null): string =>
  JSON.stringify({ what, by, at: new Date(at).toISOString(), reason });

/** Does something to one notice by hand: skips it, sends it before its moment, or takes a skip back. It stays on the record who did, and why. */
export async function actOnNotice(deps: Deps, id: string, { what, reason }: NoticeAct, byWhom: string): Promise<{ done: true }> {
  return transaction(deps.db, async (client) => {
    const now = deps.clock.now();
    const zone = Zone.of((await getHouse(client)).zone);
    const dayAt = (at: number): string => dateOf(zone.dayAt(at));
    const why = reason ?? null;
    if (what === 'skip') {
      await lockOpen(client, id, 'skipped');
      const fact = `${byWhom} skipped it by hand${why ? `: ${why}` : ''}`;
      const trace = [{ check: 'not skipped by hand', result: false, because: fact }];
      await client.query(SKIP, [id, new Date(now), `Skipped: ${fact}.`, JSON.stringify(trace), byHand(what, byWhom, now, why)]);
    } else if (what === 'send') {
      await lockOpen(client, id, 'sent');
      await client.query(SEND, [id, new Date(now), dayAt(now), byHand(what, byWhom, now, why)]);
    } else {
      const notice = await maybeRow<NoticeRow>(client, LOCK, [id]);
      if (!notice) throw new Refused('not-found', 'There is no such notice, or not any more.');
      if (notice.state !== 'skipped' || notice.because !== 'by-hand')
        throw new Refused('conflict', `“${notice.step_name}” was not skipped by hand; nothing was changed.`);
      if (notice.moment.getTime() <= now)
        throw new Refused(
          'conflict',
          `The moment of “${notice.step_name}” has passed. Remind the person by hand instead; nothing was changed.`,
        );
      await client.query(RESTORE, [id, dayAt(notice.moment.getTime()), byHand(what, byWhom, now, why)]);
    }
    await announce(client, 'notices', 'work');
    return { done: true };
  });
}

/** With what text a notice goes again by hand: that of its step as it stands, to who still has the course open. */
export function againOf(facts: Facts, assignmentId: string, stepId: string, to: string): NoticeSheet['again'] {
  const assignment = facts.assignments.get(assignmentId);
  if (to !== 'employee' || !assignment || assignment.isClosed) return null;
  const step = findStep(facts.plans.get(assignment.course), stepId);
  return step ? { assignmentId, name: `Again: ${step.name}`.slice(0, 80), message: step.message } : null;
}
