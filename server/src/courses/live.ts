import type { CourseDraft, LiveCheck, LiveView, Retiring, WentLive } from '@nudrik/contract';
import {
  fieldsNeeded,
  goesIn,
  planFaults,
  tellAmount,
  tellFinish,
  tellList,
  tellValidity,
  type AssignmentEvent,
  type PlanStep,
} from '@nudrik/core';
import { act } from '../assignments/acts.ts';
import { lockIds } from '../assignments/assignments.repo.ts';
import { announce, maybeRow, rows, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { deadLinkFaults } from '../messages/links.ts';
import { houseToday } from '../people/today.ts';
import { writtenWarnings } from '../plans/warnings.ts';
import { designName } from '../certificates/designs.repo.ts';
import { Refused } from '../refusal.ts';
import { switchOffIn, switchOnIn } from '../requirements/change.ts';
import { AT_ONCE, type Work } from '../work/jobs.ts';
import { NO_COURSE, faultsOf, readDraft } from './draft.ts';
import { countWriting, lockCourse, setLive, setRetired } from './draft.repo.ts';
import { applyDraft, lockWritten } from './publish.ts';

const GET_PLAN = 'select steps from plans where course_id = $1::bigint';
const GET_OWNER = `
select p.name, p.address_state = 'ok' as reachable, is_here(p.left_on, $2::date) as here
from people p
where p.id = $1::bigint
`;
const LIST_ASKING = `
select id, name, version, is_on, on_with_course
from requirements
where course_id = $1::bigint
order by name
`;
interface Asking {
  id: string;
  name: string;
  version: number;
  is_on: boolean;
  on_with_course: boolean;
}
const listAsking = (db: Queryable, courseId: string): Promise<Asking[]> => rows<Asking>(db, LIST_ASKING, [courseId]);

const FIELD_NAMES = { 'course summary': 'summary of the course', 'course code': 'code of the course', trainer: 'owner of the course' };

/** What a step that is on prints of the course itself, and the course lacks: each message of it would be held. */
function gapsOf(steps: readonly PlanStep[], content: CourseDraft): { step: PlanStep; field: keyof typeof FIELD_NAMES }[] {
  const lacks = {
    'course summary': !content.summary?.trim(),
    'course code': !content.code?.trim(),
    trainer: content.ownerId === null,
  };
  const fields = (Object.keys(lacks) as (keyof typeof lacks)[]).filter((field) => lacks[field]);
  return steps
    .filter((step) => goesIn(content.certificate, step))
    .flatMap((step) => fields.filter((field) => fieldsNeeded(step.message).includes(field)).map((field) => ({ step, field })));
}

/** What stands between a course and its going live: each in words, with the way to where it is mended. */
export async function liveView(deps: Deps, courseId: string): Promise<LiveView> {
  const { db } = deps;
  const { course, content, version } = await readDraft(db, courseId);
  const link = `/courses/${courseId}`;
  const checks: LiveCheck[] = [];
  const check = (key: string, isMet: boolean, isNeeded: boolean, words: string, act: LiveCheck['act'] = null): void => {
    checks.push({ key, isMet, isNeeded, words, act: isMet ? null : act });
  };
  const faults = await faultsOf(db, courseId, content);
  for (const [i, fault] of faults.entries())
    check(`fault-${i}`, false, true, fault.words, {
      label: 'Mend it',
      link,
      ...(fault.unit === null ? {} : { params: { unit: fault.unit } }),
    });
  if (faults.length === 0) {
    const units = content.sections.flatMap((section) => section.units.map((unit) => ({ ...unit, id: unit.id! })));
    check('content', true, true, `Nothing is missing in it. Finished means: ${tellFinish(content.finish, units)}.`);
  }
  const { steps } = (await maybeRow<{ steps: PlanStep[] }>(db, GET_PLAN, [courseId])) ?? { steps: [] };
  const planLink = { label: 'Open the plan', link: `/plans/${courseId}` };
  // its plan goes with it: what leads nowhere would go for the first time
  const wrong = [...planFaults(steps), ...(course.state === 'draft' ? await deadLinkFaults(deps, steps, []) : [])];
  const gaps = gapsOf(steps, content);
  for (const { step, field } of gaps)
    check(`gap-${step.id}-${field}`, false, true, `“${step.name}” prints the ${FIELD_NAMES[field]}, and it has none: the message would be held.`, { label: 'Fill it in', link, params: { field: field === 'trainer' ? 'owner' : 'title' } }); // prettier-ignore
  if (wrong.length === 0 && gaps.length === 0) check('texts', true, true, 'Every text of its plan is without fault.');
  for (const { step, message } of wrong) check(`text-${step}`, false, true, message, planLink);
  const on = steps.filter((step) => goesIn(content.certificate, step)).length;
  check(
    'plan',
    on > 0,
    false,
    on === 0
      ? 'No step of its plan is on: nobody would hear of it.'
      : `${on === steps.length ? `All ${on}` : `${on} of ${steps.length}`} steps of its plan are on.`,
    planLink,
  );
  if (wrong.length === 0)
    for (const [i, { words, mend }] of (await writtenWarnings(deps, courseId, steps)).entries())
      check(`plan-${i}`, false, false, words, { ...planLink, label: mend ? 'Mend it' : 'Open the plan' });
  check(
    'certificate',
    content.certificate !== null,
    true,
    content.certificate === null
      ? 'Nobody decided whether finishing is certified: issue one, or say that there is none.'
      : content.certificate === 'none'
        ? 'Finishing is not certified, on purpose.'
        : `Finishing is certified${content.validity ? ` for ${tellValidity(content.validity)}` : ', for ever'}, and looks like “${await designName(db, content.certificateDesignId)}”.`,
    { label: 'Decide', link, params: { field: 'certificate' } },
  );
  const owner =
    content.ownerId === null
      ? null
      : await maybeRow<{ name: string; reachable: boolean; here: boolean }>(db, GET_OWNER, [content.ownerId, await houseToday(deps)]);
  check(
    'owner',
    owner !== null && owner.reachable && owner.here,
    false,
    !owner
      ? 'It has no owner: replies reach nobody who knows it.'
      : !owner.here
        ? `${owner.name}, who owns it, is no longer here: replies reach nobody.`
        : owner.reachable
          ? `${owner.name} owns it and reads the replies.`
          : `Mail to ${owner.name}, who owns it, comes back: replies would not reach them.`,
    { label: 'Name an owner', link, params: { field: 'owner' } },
  );
  const asking = await listAsking(db, courseId);
  const waiting = asking.filter((requirement) => requirement.on_with_course && !requirement.is_on);
  const named = tellList([...waiting, ...asking.filter(({ is_on }) => is_on)].map(({ name }) => `“${name}”`));
  check(
    'asked',
    named !== '',
    false,
    named === ''
      ? 'Nobody is asked for it yet: write a requirement that goes on with it, or assign it once it is live.'
      : `${named} ${named.includes('” and “') ? 'ask' : 'asks'} for it${waiting.length > 0 ? ', from the moment on in which it goes live' : ''}.`,
    { label: 'Write a requirement', link: '/requirements/new', params: { forCourse: courseId } },
  );
  return { state: course.state, version, checks, requirements: waiting.map(({ id, name, version: of }) => ({ id, name, version: of })) };
}

/** A course goes live: what is written is what it is, and the requirements that wait for it are switched on, all in one. */
export async function goLive(deps: Deps, courseId: string, version: number, byWhom: string, work: Work = AT_ONCE): Promise<WentLive> {
  const { checks } = await liveView(deps, courseId);
  const missing = checks.filter(({ isMet, isNeeded }) => isNeeded && !isMet);
  if (missing.length > 0)
    throw new Refused('wrong-input', `${missing.slice(0, 5).map(({ words }) => words).join(' ')} It did not go live.`, missing.map(({ key, words }) => ({ where: key, message: words }))); // prettier-ignore
  return transaction(deps.db, async (client) => {
    const { course, content } = await lockWritten(deps, client, courseId, version);
    if (course.state !== 'draft') throw new Refused('conflict', `${course.title} is ${course.state} already; nothing was changed.`);
    await applyDraft(deps, client, courseId, content, byWhom);
    await setLive(client, courseId, deps.clock.now(), byWhom);
    const requirements: WentLive['requirements'] = [];
    for (const { id, name, version: of, on_with_course, is_on } of await listAsking(client, courseId))
      if (on_with_course && !is_on) requirements.push({ name, assigned: (await switchOnIn(deps, client, id, of, byWhom, work)).assigned });
    await announce(client, 'courses', 'requirements');
    const result = { requirements };
    await work.finish(client, result);
    return result;
  });
}

const LIST_OPEN = `
select id
from assignments
where course_id = $1::bigint
  and closed_by is null
order by id
`;

/**
 * Retires a course: nobody new is asked for it, and requirements that ask for it are switched off. Those who have it open go on,
 * or are withdrawn; what was finished and certified stays.
 */
export async function retireCourse(
  deps: Deps,
  courseId: string,
  { open, reason }: Retiring,
  byWhom: string,
  work: Work = AT_ONCE,
): Promise<{ withdrawn: number }> {
  return transaction(deps.db, async (client) => {
    const course = await lockCourse(client, courseId);
    if (!course) throw new Refused('not-found', NO_COURSE);
    if (course.state !== 'live')
      throw new Refused(
        'conflict',
        `${course.title} is ${course.state === 'draft' ? 'not live yet' : 'retired already'}; nothing was changed.`,
      );
    const now = deps.clock.now();
    const outside = open === 'withdraw' ? 'withdraw' : 'keep';
    let withdrawn = 0;
    for (const { id, version, is_on, on_with_course } of await listAsking(client, courseId))
      if (is_on || on_with_course) withdrawn += (await switchOffIn(deps, client, id, version, outside, byWhom, work)).withdrawn;
    await setRetired(client, courseId, now, byWhom);
    await countWriting(client, courseId);
    const ids = open === 'withdraw' ? (await rows<{ id: string }>(client, LIST_OPEN, [courseId])).map(({ id }) => id) : [];
    if (ids.length > 0) {
      await lockIds(client, ids);
      const event: AssignmentEvent = { type: 'withdrawn', at: now, because: 'by-hand', reason: reason ?? `${course.title} is retired` };
      await act(client, { kind: 'withdraw', at: now, byWhom, reason, words: `Retired ${course.title} and withdrew it from ${tellAmount(ids.length, 'people')}.` }, ids.map((assignment) => ({ assignment, event }))); // prettier-ignore
    }
    await announce(client, 'courses', 'requirements');
    const result = { withdrawn: withdrawn + ids.length };
    await work.finish(client, result);
    return result;
  });
}

/** A retired course is live again: requirements stay off until somebody switches them on. */
export async function takeUp(deps: Deps, courseId: string, byWhom: string): Promise<void> {
  await transaction(deps.db, async (client) => {
    const course = await lockCourse(client, courseId);
    if (!course) throw new Refused('not-found', NO_COURSE);
    if (course.state !== 'retired') throw new Refused('conflict', `${course.title} is not retired; nothing was changed.`);
    await setLive(client, courseId, deps.clock.now(), byWhom);
    await countWriting(client, courseId);
    await announce(client, 'courses');
  });
}
