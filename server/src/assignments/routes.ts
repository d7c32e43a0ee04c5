import { AssignRequest, CloseRequest, ExtendRequest, Id } from '@nudrik/contract';
import { ADMINISTRATORS, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { isInLineOf } from '../reports/team.repo.ts';
import { assign, close, extend } from './change.ts';
import { previewAssign } from './preview.ts';

/** A manager acts on the assignments of people in their own line and on no others. */
async function refuseForeign({ deps, account, req }: Call): Promise<string> {
  const id = parse(Id, req.params['id']);
  if (account!.role === 'manager' && !(account!.personId && (await isInLineOf(deps.db, account!.personId, id))))
    throw new Refused('not-allowed', 'This person is not in your line; nothing was changed.');
  return id;
}

const closing = (verb: string, how: 'waived' | 'withdrawn'): Route => ({
  method: 'post',
  path: `/api/assignments/:id/${verb}`,
  access: ADMINISTRATORS,
  async handle({ deps, req, account }) {
    await close(deps, parse(Id, req.params['id']), how, parse(CloseRequest, req.body).reason, account!.name);
    return { done: true };
  },
});

export const assignmentRoutes: Route[] = [
  {
    method: 'post',
    path: '/api/assignments/preview',
    access: ADMINISTRATORS,
    handle: ({ deps, req }) => previewAssign(deps, parse(AssignRequest, req.body)),
  },
  {
    method: 'post',
    path: '/api/assignments',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => assign(deps, parse(AssignRequest, req.body), account!.name),
  },
  {
    method: 'post',
    path: '/api/assignments/:id/extend',
    access: ['administrator', 'manager'],
    async handle(call) {
      await extend(call.deps, await refuseForeign(call), parse(ExtendRequest, call.req.body), call.account!.name);
      return { done: true };
    },
  },
  closing('waive', 'waived'),
  closing('withdraw', 'withdrawn'),
];
