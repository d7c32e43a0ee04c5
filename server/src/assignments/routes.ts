import {
  AssignRequest,
  CloseRequest,
  CompletionsRequest,
  ExtendRequest,
  Id,
  RemindRequest,
  TakeUpRequest,
  WaiverAnswer,
  WaiverAsk,
} from '@nudrik/contract';
import { tellAmount } from '@nudrik/core';
import { sendFile } from '../answer-file.ts';
import { ADMINISTRATORS, get, idOf, OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { areInLineOf } from '../reports/team.repo.ts';
import { isLarge } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { listActs, undoAct } from './acts.ts';
import { findDoer, listTouched } from './acts.repo.ts';
import { assign, close, extend } from './change.ts';
import { getProof, previewCompletions, recordCompletions } from './completions.ts';
import { previewAssign } from './preview.ts';
import { endLetter, groupLetters } from './group-letters.ts';
import { findGroupLetter, helpsWith } from './group-letters.repo.ts';
import { getSettings } from '../house/settings.repo.ts';
import { ladderOf } from '../notices/ladder.ts';
import { takeUp } from './take-up.ts';
import { answerWaiver, askWaiver, listWaivers } from './waivers.ts';
import { previewRemind, remind, remindedIds } from './remind.ts';
import type { Deps } from '../deps.ts';

/** A manager acts on the assignments of people in their own line and on no others. */
async function refuseForeign({ deps, account }: Call, ids: readonly string[]): Promise<void> {
  if (account!.role !== 'manager') return;
  if (!account!.personId || !(await areInLineOf(deps.db, account!.personId, ids)))
    throw new Refused(
      'not-allowed',
      `${ids.length === 1 ? 'This person is not' : 'Not all of these people are'} in your line; nothing was changed.`,
    );
}

/** What managers do by hand and take back again. */
const ACTS_OF_MANAGERS = ['extend', 'take-up', 'remind'];

/** A manager takes back what they did themself, of people who are in their line still. */
async function refuseOthersAct(call: Call, id: string, touched: readonly string[]): Promise<void> {
  const doer = await findDoer(call.deps.db, id);
  if (!doer || touched.length === 0) throw new Refused('not-found', 'This is not on the record.');
  if (doer.by_whom !== call.account!.name || !ACTS_OF_MANAGERS.includes(doer.kind))
    throw new Refused('not-allowed', 'A manager takes back what they did themself, and nothing else; nothing was changed.');
  await refuseForeign(call, touched);
}

/** The body of an act on one assignment, whose id stands in the address, or on many. */
const bodyOf = ({ req }: Call): unknown =>
  req.params['id'] === undefined ? req.body : { ...(req.body as object), assignmentIds: [parse(Id, req.params['id'])] };

const acting = (verb: string, access: Route['access'], act: (call: Call) => Promise<unknown>): Route[] =>
  ['/api/assignments', '/api/assignments/:id'].map((base) => ({ method: 'post', path: `${base}/${verb}`, access, handle: act }));

const isMany = ({ deps }: Call, count: number): boolean => count > deps.settings.jobAbove;

/** Rows of a pasted list. */
const rowsOf = ({ text }: CompletionsRequest): number => text.split('\n').length;

const closing = (verb: string, how: 'waived' | 'withdrawn'): Route[] =>
  acting(verb, ADMINISTRATORS, (call) => {
    const request = parse(CloseRequest, bodyOf(call));
    const job = {
      kind: 'close',
      words: `${how === 'waived' ? 'Waiving' : 'Withdrawing'} ${tellAmount(request.assignmentIds.length, 'assignments')}`,
      input: { how, request },
    };
    return nowOrLater(call, isMany(call, request.assignmentIds.length), job, () => close(call.deps, how, request, call.account!.name));
  });

/** Whether it may be for many: named one by one, or whole departments, sites and groups of a large house. */
const isWide = async ({ deps }: Call, { personIds, departments, sites, groups }: AssignRequest): Promise<boolean> =>
  personIds.length > deps.settings.jobAbove || (departments.length + sites.length + groups.length > 0 && (await isLarge(deps)));

/** A trainer writes to groups of the courses that they own or help with, and to nobody else. */
async function refuseForeignCourse({ deps, account }: Call, course: string | null): Promise<void> {
  const isOwn = course !== null && account!.personId !== null && (await helpsWith(deps.db, account!.personId, course));
  if (!isOwn) throw new Refused('not-allowed', 'A trainer writes to groups of the courses that they own or help with; nobody was written to.'); // prettier-ignore
}

/** Managers remind people in their own line, by name; trainers write to groups of their courses. */
const reminding = (
  verb: string,
  job: { kind: string; words: string },
  run: (deps: Deps, request: RemindRequest, byWhom: string) => Promise<unknown>,
): Route => ({
  method: 'post',
  path: `/api/assignments/${verb}`,
  access: ['administrator', 'manager', 'trainer'],
  async handle(call) {
    const { deps, account, req } = call;
    const request = parse(RemindRequest, req.body);
    if (account!.role === 'trainer') await refuseForeignCourse(call, request.group?.courseId ?? null);
    if ((request.underWay || request.group) && account!.role === 'manager')
      throw new Refused('not-allowed', 'A manager reminds people by name; nobody was reminded.');
    await refuseForeign(call, request.assignmentIds);
    const { length } = await remindedIds(deps.db, request, deps.clock.now());
    return nowOrLater(call, isMany(call, length), { ...job, input: request }, () => run(deps, request, account!.name));
  },
});

export const assignmentRoutes: Route[] = [
  {
    method: 'post',
    path: '/api/assignments/preview',
    access: ADMINISTRATORS,
    handle(call) {
      const input = parse(AssignRequest, call.req.body);
      const job = { kind: 'assign-preview', words: 'Working out what assigning would do', input };
      return nowOrLater(call, isWide(call, input), job, () => previewAssign(call.deps, input));
    },
  },
  {
    method: 'post',
    path: '/api/assignments',
    access: ADMINISTRATORS,
    handle(call) {
      const input = parse(AssignRequest, call.req.body);
      const job = { kind: 'assign', words: 'Assigning a course', input };
      return nowOrLater(call, isWide(call, input), job, () => assign(call.deps, input, call.account!.name));
    },
  },
  { method: 'get', path: '/api/assignments/acts', access: OFFICE, handle: ({ deps }) => listActs(deps.db, deps.clock.now()) },
  {
    method: 'post',
    path: '/api/assignments/acts/:id/undo',
    access: ['administrator', 'manager'],
    async handle(call) {
      const id = parse(Id, call.req.params['id']);
      const touched = await listTouched(call.deps.db, id);
      if (call.account!.role === 'manager') await refuseOthersAct(call, id, touched);
      const job = { kind: 'act-undo', words: 'Taking back an act', input: { id } };
      return nowOrLater(call, isMany(call, touched.length), job, () => undoAct(call.deps, id, call.account!.name));
    },
  },
  {
    method: 'post',
    path: '/api/assignments/completions/preview',
    access: ADMINISTRATORS,
    handle(call) {
      const request = parse(CompletionsRequest, call.req.body);
      const job = { kind: 'completions-preview', words: 'Looking through completions', input: request };
      return nowOrLater(call, isMany(call, rowsOf(request)), job, () => previewCompletions(call.deps, request));
    },
  },
  {
    method: 'post',
    path: '/api/assignments/completions',
    access: ADMINISTRATORS,
    handle(call) {
      const request = parse(CompletionsRequest, call.req.body);
      const job = { kind: 'completions', words: 'Recording completions', input: request };
      return nowOrLater(call, isMany(call, rowsOf(request)), job, () => recordCompletions(call.deps, request, call.account!.name));
    },
  },
  {
    method: 'get',
    path: '/api/assignments/:id/proof',
    access: OFFICE,
    async handle(call) {
      sendFile(call.res, await getProof(call.deps.db, parse(Id, call.req.params['id'])));
    },
  },
  ...acting('extend', ['administrator', 'manager'], async (call) => {
    const request = parse(ExtendRequest, bodyOf(call));
    await refuseForeign(call, request.assignmentIds);
    const count = request.assignmentIds.length;
    const mostDays = call.account!.role === 'manager' ? (await getSettings(call.deps.db)).manager_extension_days : null;
    const job = { kind: 'extend', words: `Extending ${tellAmount(count, 'assignments')}`, input: { ...request, mostDays } };
    return nowOrLater(call, isMany(call, count), job, () => extend(call.deps, request, call.account!.name, undefined, mostDays));
  }),
  ...acting('take-up', ['administrator', 'manager'], async (call) => {
    const request = parse(TakeUpRequest, bodyOf(call));
    await refuseForeign(call, request.assignmentIds);
    return takeUp(call.deps, request, call.account!.name);
  }),
  ...acting('ask-waiver', ['administrator', 'manager'], async (call) => {
    const request = parse(WaiverAsk, bodyOf(call));
    await refuseForeign(call, request.assignmentIds);
    return askWaiver(call.deps, request, call.account!.name, call.account!.personId);
  }),
  get('/api/waivers', ({ deps }) => listWaivers(deps.db)),
  {
    method: 'post',
    path: '/api/waivers/:id',
    access: ADMINISTRATORS,
    handle: (call) => answerWaiver(call.deps, idOf(call), parse(WaiverAnswer, call.req.body), call.account!.name),
  },
  get(
    '/api/assignments/:id/ladder',
    async (call) => {
      await refuseForeign(call, [idOf(call)]);
      return ladderOf(call.deps, idOf(call));
    },
    ['administrator', 'trainer', 'auditor', 'manager'],
  ),
  get('/api/courses/:id/letters', (call) => groupLetters(call.deps, idOf(call))),
  {
    method: 'post',
    path: '/api/letters/:id/end',
    access: ['administrator', 'trainer'],
    async handle(call) {
      const found = await findGroupLetter(call.deps.db, idOf(call));
      if (call.account!.role === 'trainer') await refuseForeignCourse(call, found?.course_id ?? null);
      return endLetter(call.deps, idOf(call), call.account!.name);
    },
  },
  reminding('remind/preview', { kind: 'remind-preview', words: 'Working out who would be reminded' }, previewRemind),
  reminding('remind', { kind: 'remind', words: 'Reminding people' }, remind),
  ...closing('waive', 'waived'),
  ...closing('withdraw', 'withdrawn'),
];
