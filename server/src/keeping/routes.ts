import { EraseRequest, Id, KeepChange } from '@nudrik/contract';
import { z } from 'zod';
import { act, ADMINISTRATORS, get, idOf, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { later } from '../work/routes.ts';
import { lookAtErasing, previewErase } from './erase.ts';
import { changeKeeping, keepingView, previewKeeping } from './keeping.ts';

const Before = z.object({ before: Id.optional() });

export const keepingRoutes: Route[] = [
  get('/api/keeping', ({ deps, req }) => keepingView(deps, parse(Before, req.query).before ?? null), ['administrator', 'auditor']),
  act('post', '/api/keeping/preview', ({ deps, req }) => previewKeeping(deps, parse(KeepChange, req.body))),
  act('put', '/api/keeping', async ({ deps, req, account }) => {
    await changeKeeping(deps, parse(KeepChange, req.body), account!.name);
    return keepingView(deps, null);
  }),
  get('/api/people/:id/erasing', (call) => previewErase(call.deps, idOf(call)), ADMINISTRATORS),
  act('post', '/api/people/:id/erase', async (call) => {
    const input = parse(EraseRequest, call.req.body);
    // whatever stands in the way is said now, and not by work that failed
    const { faults, pseudonym, person } = await lookAtErasing(call.deps, idOf(call));
    const { name } = person;
    if (faults.length > 0) throw new Refused('conflict', `${faults.join(' ')} Nothing was erased.`);
    if (input.name.trim() !== name) throw new Refused('wrong-input', `“${input.name.trim()}” is not what they are called; expected ${name}, as it stands on their sheet. Nothing was erased.`); // prettier-ignore
    // its words are kept after it: they name nobody
    const reason = input.reason.replaceAll(name, pseudonym);
    return later(call, { kind: 'erase-person', words: 'Erasing somebody who left', input: { id: idOf(call), reason } });
  }),
];
