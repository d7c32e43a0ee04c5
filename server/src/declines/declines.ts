import type { DeclineView } from '@nudrik/contract';
import type { PlanStep } from '@nudrik/core';
import { readLink } from '../access/personal-link.ts';
import { announce, transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { findStep, listPlanFacts } from '../notices/facts.ts';
import { recordChanges } from '../people/write-roster.ts';
import { Refused } from '../refusal.ts';
import { endOne, findMeant, findOwn, insertDecline, type Meant } from './declines.repo.ts';

/** @throws Refused where the link is not ours, or leads to nothing any more */
async function meantBy({ db, settings }: Deps, link: string): Promise<Meant> {
  const { token } = readLink(settings.key, 'decline', link);
  const found = token !== null && /^\d{1,18}$/.test(token) ? await findMeant(db, token) : null;
  if (!found) throw new Refused('wrong-link', 'This link does not belong to any message. Open it from the message itself.');
  return found;
}

const stepNow = async (db: Queryable, { course_id, step_id }: Meant): Promise<PlanStep | undefined> =>
  findStep((await listPlanFacts(db, [course_id]))[0], step_id);

const REQUIRED = 'These messages belong to required training and cannot be declined. You may choose one mail a day on your own page.';

/** What a link would decline; looking at it changes nothing. */
export async function declineView(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  const step = await stepNow(deps.db, meant);
  return {
    organisation: (await getHouse(deps.db)).organisation,
    person: meant.person,
    step: step?.name ?? meant.step_name,
    course: meant.course,
    isDeclined: meant.declined !== null,
    refusal: meant.declined === null && step && !step.mayDecline ? REQUIRED : null,
  };
}

const put = async (client: Client, meant: Meant, words: { from: string | null; to: string | null }, at: number): Promise<void> => {
  await recordChanges(client, [{ id: meant.person_id, kind: 'changed', changes: [{ field: 'declined', ...words }] }], { at, byWhom: meant.person });
  await announce(client, 'people', 'notices');
}; // prettier-ignore

const named = ({ step_name, course }: Pick<Meant, 'step_name' | 'course'>): string => `“${step_name}” of ${course}`;

/** Somebody has no more of a step: once, however often they say it. */
export async function decline(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  const step = await stepNow(deps.db, meant);
  if (step && !step.mayDecline) throw new Refused('conflict', `${REQUIRED} Nothing was changed.`);
  await transaction(deps.db, async (client) => {
    const at = deps.clock.now();
    if (await insertDecline(client, meant, at)) await put(client, meant, { from: null, to: named(meant) }, at);
  });
  return declineView(deps, link);
}

/** They want it again. */
export async function haveAgain(deps: Deps, link: string): Promise<DeclineView> {
  const meant = await meantBy(deps, link);
  if (meant.declined !== null)
    await transaction(deps.db, async (client) => {
      const at = deps.clock.now();
      if (await endOne(client, meant.declined!, at)) await put(client, meant, { from: named(meant), to: null }, at);
    });
  return declineView(deps, link);
}

/** The same from somebody's own page, or their sheet. @param byWhom who does it */
export async function endDecline({ db, clock }: Deps, person: string, id: string, byWhom: string): Promise<void> {
  await transaction(db, async (client) => {
    const meant = await findOwn(client, id, person);
    const at = clock.now();
    if (!meant || !(await endOne(client, id, at))) throw new Refused('not-found', 'That is not declined any more. Nothing was changed.');
    await put(client, { ...meant, person: byWhom }, { from: named(meant), to: null }, at);
  });
}
