import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import {
  AsOfQuery,
  OutsideDecision,
  RequirementChange,
  RequirementDraft,
  RequirementOff,
  RequirementOn,
  RequirementPreviewRequest,
} from '@nudrik/contract';
import { houseToday } from '../people/today.ts';
import { Refused } from '../refusal.ts';
import { ADMINISTRATORS, idOf, OFFICE, parse, type Call, type Route } from '../route.ts';
import { isLarge } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { addRequirement, changeRequirement, decideOutside, removeRequirement, switchOff, switchOn } from './change.ts';
import { requirementsDay } from './day.ts';
import { audienceNames, audiencePeople, findRequirementRow } from './facts.ts';
import { getRequirement, listRequirements, listStandings, previewRequirement } from './preview.ts';

async function wordsOf(call: Call, what: string): Promise<string> {
  const row = await findRequirementRow(call.deps.db, idOf(call));
  if (!row) throw new Refused('not-found', 'There is no such requirement, or not any more.');
  return `${what} “${row.name}”`;
}

export const requirementRoutes: Route[] = [
  { method: 'get', path: '/api/requirements', access: OFFICE, handle: ({ deps }) => listRequirements(deps) },
  {
    method: 'get',
    path: '/api/requirements/day',
    access: OFFICE,
    handle: ({ deps, req }) => requirementsDay(deps, parse(AsOfQuery, req.query)),
  },
  {
    method: 'get',
    path: '/api/requirements/audience',
    access: OFFICE,
    // sent a part after the other: of 50,000 people it is 38 MB, and others want their answers too
    async handle({ deps, res }) {
      const rest = JSON.stringify({ today: await houseToday(deps), ...(await audienceNames(deps.db)) });
      const text = async function* (): AsyncGenerator<string> {
        yield `${rest.slice(0, -1)},"people":[`;
        let between = '';
        for await (const part of audiencePeople(deps.db)) {
          yield between + part.map((person) => JSON.stringify(person)).join(',');
          between = ',';
        }
        yield ']}';
      };
      res.type('application/json');
      await pipeline(Readable.from(text()), res);
      return undefined;
    },
  },
  {
    method: 'post',
    path: '/api/requirements/preview',
    access: OFFICE,
    handle(call) {
      const input = parse(RequirementPreviewRequest, call.req.body);
      const job = { kind: 'requirement-preview', words: `Working out what “${input.draft.name}” would do`, input };
      return nowOrLater(call, isLarge(call.deps), job, () => previewRequirement(call.deps, input.id, input.draft));
    },
  },
  {
    method: 'post',
    path: '/api/requirements',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => addRequirement(deps, parse(RequirementDraft, req.body), account!.name),
  },
  { method: 'get', path: '/api/requirements/:id', access: OFFICE, handle: (call) => getRequirement(call.deps.db, idOf(call)) },
  {
    method: 'get',
    path: '/api/requirements/:id/people',
    access: OFFICE,
    async handle(call) {
      const id = idOf(call);
      const job = { kind: 'requirement-people', words: await wordsOf(call, 'Looking at everyone for'), input: { id } };
      return nowOrLater(call, isLarge(call.deps), job, () => listStandings(call.deps, id));
    },
  },
  {
    method: 'put',
    path: '/api/requirements/:id',
    access: ADMINISTRATORS,
    handle(call) {
      const input = { id: idOf(call), ...parse(RequirementChange, call.req.body) };
      const job = { kind: 'requirement-change', words: `Changing “${input.draft.name}”`, input };
      return nowOrLater(call, isLarge(call.deps), job, () =>
        changeRequirement(call.deps, input.id, input.version, input.draft, input.outside, call.account!.name),
      );
    },
  },
  {
    method: 'post',
    path: '/api/requirements/:id/on',
    access: ADMINISTRATORS,
    async handle(call) {
      const input = { id: idOf(call), ...parse(RequirementOn, call.req.body) };
      const job = { kind: 'requirement-on', words: await wordsOf(call, 'Switching on'), input };
      return nowOrLater(call, isLarge(call.deps), job, () => switchOn(call.deps, input.id, input.version, call.account!.name));
    },
  },
  {
    method: 'post',
    path: '/api/requirements/:id/off',
    access: ADMINISTRATORS,
    async handle(call) {
      const input = { id: idOf(call), ...parse(RequirementOff, call.req.body) };
      const job = { kind: 'requirement-off', words: await wordsOf(call, 'Switching off'), input };
      return nowOrLater(call, isLarge(call.deps), job, () =>
        switchOff(call.deps, input.id, input.version, input.outside, call.account!.name),
      );
    },
  },
  {
    method: 'post',
    path: '/api/requirements/:id/outside',
    access: ADMINISTRATORS,
    handle(call) {
      const { assignmentIds, outside } = parse(OutsideDecision, call.req.body);
      return decideOutside(call.deps, idOf(call), assignmentIds, outside, call.account!.name);
    },
  },
  {
    method: 'delete',
    path: '/api/requirements/:id',
    access: ADMINISTRATORS,
    async handle(call) {
      await removeRequirement(call.deps, idOf(call));
      return { done: true };
    },
  },
];
