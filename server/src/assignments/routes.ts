import { AssignRequest, CloseRequest, CompletionsRequest, ExtendRequest, Id } from '@nudrik/contract';
import { sendFile } from '../answer-file.ts';
import { ADMINISTRATORS, OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { isInLineOf } from '../reports/team.repo.ts';
import { isLarge } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { listActs, undoAct } from './acts.ts';
import { assign, close, extend } from './change.ts';
import { getProof, previewCompletions, recordCompletions } from './completions.ts';
import { previewAssign } from './preview.ts';

/** A manager acts on the assignments of people in their own line and on no others. */
async function refuseForeign({ deps, account }: Call, ids: readonly string[]): Promise<void> {
  if (account!.role !== 'manager') return;
  for (const id of ids)
    if (!(account!.personId && (await isInLineOf(deps.db, account!.personId, id))))
      throw new Refused('not-allowed', 'This person is not in your line; nothing was changed.');
}

/** The body of an act on one assignment, whose id stands in the address, or on many. */
const bodyOf = ({ req }: Call): unknown =>
  req.params['id'] === undefined ? req.body : { ...(req.body as object), assignmentIds: [parse(Id, req.params['id'])] };

const acting = (verb: string, access: Route['access'], act: (call: Call) => Promise<unknown>): Route[] =>
  ['/api/assignments', '/api/assignments/:id'].map((base) => ({ method: 'post', path: `${base}/${verb}`, access, handle: act }));

const closing = (verb: string, how: 'waived' | 'withdrawn'): Route[] =>
  acting(verb, ADMINISTRATORS, (call) => close(call.deps, how, parse(CloseRequest, bodyOf(call)), call.account!.name));

/** Whether it may be for many: named one by one, or whole departments, sites and groups of a large house. */
const isWide = async ({ deps }: Call, { personIds, departments, sites, groups }: AssignRequest): Promise<boolean> =>
  personIds.length > deps.settings.jobAbove || (departments.length + sites.length + groups.length > 0 && (await isLarge(deps)));

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
    access: ADMINISTRATORS,
    async handle({ deps, req, account }) {
      await undoAct(deps, parse(Id, req.params['id']), account!.name);
      return { done: true };
    },
  },
  {
    method: 'post',
    path: '/api/assignments/completions/preview',
    access: ADMINISTRATORS,
    handle: ({ deps, req }) => previewCompletions(deps, parse(CompletionsRequest, req.body)),
  },
  {
    method: 'post',
    path: '/api/assignments/completions',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => recordCompletions(deps, parse(CompletionsRequest, req.body), account!.name),
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
    return extend(call.deps, request, call.account!.name);
  }),
  ...closing('waive', 'waived'),
  ...closing('withdraw', 'withdrawn'),
];
