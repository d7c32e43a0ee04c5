import { HoldDraft, HoldQuestion, HoldRelease, HoldsOver } from '@nudrik/contract';
import type { Account } from '@nudrik/contract';
import type { HoldScope } from '@nudrik/core';
import { Refused } from '../refusal.ts';
import { EDITORS, get, idOf, parse, type Route } from '../route.ts';
import { holdsOver, holdsView, makeHold, previewHold, previewRelease, releaseHold } from './holding.ts';

/** Trainers hold what they publish: plans and courses. Everything, departments and people are for administrators. */
function mayHold(account: Account, scope: HoldScope): void {
  if (account.role === 'administrator' || scope === 'plan' || scope === 'course') return;
  throw new Refused('not-allowed', 'Only an administrator holds everything, a department or a person. Nothing was changed.');
}

export const holdingRoutes: Route[] = [
  get('/api/holds', ({ deps }) => holdsView(deps)),
  get('/api/holds/over', ({ deps, req }) => {
    const { scope, of } = parse(HoldsOver, { of: null, ...req.query });
    return holdsOver(deps, scope, of);
  }),
  {
    method: 'post',
    path: '/api/holds/preview',
    access: EDITORS,
    handle: ({ deps, req }) => previewHold(deps, parse(HoldQuestion, req.body)),
  },
  {
    method: 'post',
    path: '/api/holds',
    access: EDITORS,
    handle({ deps, req, account }) {
      const draft = parse(HoldDraft, req.body);
      mayHold(account!, draft.scope);
      return makeHold(deps, draft, account!.name);
    },
  },
  get('/api/holds/:id/release', (call) => previewRelease(call.deps, idOf(call)), EDITORS),
  {
    method: 'post',
    path: '/api/holds/:id/release',
    access: EDITORS,
    handle(call) {
      const { deps, req, account } = call;
      return releaseHold(deps, idOf(call), parse(HoldRelease, req.body), account!.name, (scope) => mayHold(account!, scope));
    },
  },
];
