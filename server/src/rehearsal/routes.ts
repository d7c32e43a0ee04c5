import { RehearsalQuery } from '@nudrik/contract';
import { get, parse, type Route } from '../route.ts';
import { rehearsalFacts } from './facts.ts';

export const rehearsalRoutes: Route[] = [
  get('/api/rehearsal', ({ deps, req }) => rehearsalFacts(deps, parse(RehearsalQuery, req.query).course ?? null)),
];
