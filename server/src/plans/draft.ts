import { tellMoment, Zone } from '@nudrik/core';
import type { PlanDraftDrop, PlanDraftSave, PlanDraftSaved } from '@nudrik/contract';
import { announce, maybeRow, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { lockPlan } from './plans.repo.ts';
import { refuseFollower } from './shared.ts';

interface DraftRow {
  version: number;
  written: number;
  save: string;
  saved_at: Date;
  saved_by: string;
}

const FIND = 'select version, written, save, saved_at, saved_by from plan_drafts where course_id = $1::bigint';
const PUT = `
insert into plan_drafts (course_id, version, written, save, steps, saved_at, saved_by)
values ($1::bigint, $2::integer, $3::integer, $4::uuid, $5::jsonb, $6::timestamptz, $7::text)
on conflict (course_id) do update
set version = excluded.version, written = excluded.written, save = excluded.save, steps = excluded.steps, saved_at = excluded.saved_at,
  saved_by = excluded.saved_by
`;
const DELETE = 'delete from plan_drafts where course_id = $1::bigint';

const findDraft = (db: Queryable, courseId: string): Promise<DraftRow | null> => maybeRow<DraftRow>(db, FIND, [courseId]);

/** Refuses to go over a draft that somebody else kept, published or dropped meanwhile; nothing of either is lost. */
export async function refuseOtherDraft(deps: Deps, client: Client, draft: DraftRow | null, written: number): Promise<void> {
  if ((draft?.written ?? 0) === written) return;
  if (!draft)
    throw new Refused(
      'stale',
      'The draft of this plan that you work on was published or dropped by somebody else meanwhile. Nothing of yours is lost: compare the two.',
    );
  const { zone } = await getHouse(client);
  throw new Refused(
    'stale',
    `${draft.saved_by} kept a draft of this plan on ${tellMoment(draft.saved_at.getTime(), Zone.of(zone), deps.clock.now())}, while you worked on yours. ` +
      'Nothing of either is lost: compare the two.',
  );
}

/** Keeps what is written of a plan. Nothing goes by it before it is published. */
export async function savePlanDraft(deps: Deps, courseId: string, request: PlanDraftSave, byWhom: string): Promise<PlanDraftSaved> {
  return transaction(deps.db, async (client) => {
    if (!(await lockPlan(client, courseId))) throw new Refused('not-found', 'There is no such plan, or not any more.');
    await refuseFollower(client, courseId);
    const draft = await findDraft(client, courseId);
    // its answer was lost, and it comes again
    if (draft && draft.save === request.save) return { written: draft.written, savedAt: draft.saved_at.toISOString() };
    await refuseOtherDraft(deps, client, draft, request.written);
    const now = new Date(deps.clock.now());
    const written = request.written + 1;
    await client.query(PUT, [courseId, request.version, written, request.save, JSON.stringify(request.steps), now, byWhom]);
    await announce(client, 'plans');
    return { written, savedAt: now.toISOString() };
  });
}

/** Forgets what is written and not published; once. */
export async function dropPlanDraft(deps: Deps, courseId: string, { written }: PlanDraftDrop): Promise<{ written: 0 }> {
  return transaction(deps.db, async (client) => {
    await lockPlan(client, courseId);
    const draft = await findDraft(client, courseId);
    if (draft) {
      await refuseOtherDraft(deps, client, draft, written);
      await client.query(DELETE, [courseId]);
      await announce(client, 'plans');
    }
    return { written: 0 };
  });
}

/** With publishing: the draft is what was published, unless somebody else wrote in it. */
export async function endDraft(deps: Deps, client: Client, courseId: string, written: number | undefined): Promise<void> {
  const draft = await findDraft(client, courseId);
  if (!draft) return;
  if (written !== undefined) await refuseOtherDraft(deps, client, draft, written);
  await client.query(DELETE, [courseId]);
}
