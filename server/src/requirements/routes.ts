import {
  OutsideDecision,
  RequirementChange,
  RequirementDraft,
  RequirementOff,
  RequirementOn,
  RequirementPreviewRequest,
} from '@nudrik/contract';
import { houseToday } from '../people/today.ts';
import { ADMINISTRATORS, idOf, OFFICE, parse, type Route } from '../route.ts';
import { addRequirement, changeRequirement, decideOutside, removeRequirement, switchOff, switchOn } from './change.ts';
import { audienceFacts } from './facts.ts';
import { getRequirement, listRequirements, listStandings, previewRequirement } from './preview.ts';

export const requirementRoutes: Route[] = [
  { method: 'get', path: '/api/requirements', access: OFFICE, handle: ({ deps }) => listRequirements(deps) },
  {
    method: 'get',
    path: '/api/requirements/audience',
    access: OFFICE,
    handle: async ({ deps }) => audienceFacts(deps.db, await houseToday(deps)),
  },
  {
    method: 'post',
    path: '/api/requirements/preview',
    access: OFFICE,
    handle({ deps, req }) {
      const { id, draft } = parse(RequirementPreviewRequest, req.body);
      return previewRequirement(deps, id, draft);
    },
  },
  {
    method: 'post',
    path: '/api/requirements',
    access: ADMINISTRATORS,
    handle: ({ deps, req, account }) => addRequirement(deps, parse(RequirementDraft, req.body), account!.name),
  },
  { method: 'get', path: '/api/requirements/:id', access: OFFICE, handle: (call) => getRequirement(call.deps.db, idOf(call)) },
  { method: 'get', path: '/api/requirements/:id/people', access: OFFICE, handle: (call) => listStandings(call.deps, idOf(call)) },
  {
    method: 'put',
    path: '/api/requirements/:id',
    access: ADMINISTRATORS,
    handle(call) {
      const { version, draft, outside } = parse(RequirementChange, call.req.body);
      return changeRequirement(call.deps, idOf(call), version, draft, outside, call.account!.name);
    },
  },
  {
    method: 'post',
    path: '/api/requirements/:id/on',
    access: ADMINISTRATORS,
    handle: (call) => switchOn(call.deps, idOf(call), parse(RequirementOn, call.req.body).version, call.account!.name),
  },
  {
    method: 'post',
    path: '/api/requirements/:id/off',
    access: ADMINISTRATORS,
    handle(call) {
      const { version, outside } = parse(RequirementOff, call.req.body);
      return switchOff(call.deps, idOf(call), version, outside, call.account!.name);
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
