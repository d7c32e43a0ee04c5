import { SealsCheck, SealsQuery } from '@nudrik/contract';
import { get, OFFICE, parse, type Route } from '../route.ts';
import { nowOrLater } from '../work/routes.ts';
import { countSealed } from './seals.repo.ts';
import { sealsView, verifyNow } from './seals.ts';

export const sealRoutes: Route[] = [
  get('/api/seals', ({ deps, req }) => sealsView(deps.db, parse(SealsQuery, req.query).before ?? null)),
  {
    method: 'post',
    path: '/api/seals/verify',
    // whoever reads may look whether it is true
    access: OFFICE,
    async handle(call) {
      const input = parse(SealsCheck, call.req.body);
      const job = { kind: 'seals-verify', words: 'Holding the record against its seals', input };
      const kept = input.day !== null && input.head !== null ? { day: input.day, head: input.head } : null;
      return nowOrLater(call, (await countSealed(call.deps.db)) > 20_000, job, () => verifyNow(call.deps, kept));
    },
  },
];
