import { Id, LinkToken, NewSession, OwnSeatDraft, SeatDraft, SessionCancel, SessionChange } from '@nudrik/contract';
import { findIdByLink } from '../assignments/assignments.repo.ts';
import { refuseClosed } from '../learning/learn.ts';
import { houseToday } from '../people/today.ts';
import { findAssignee } from './sessions.repo.ts';
import { areInLineOf, listLine } from '../reports/team.repo.ts';
import { EDITORS, get, idOf, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import {
  cancelSession,
  changeSession,
  foreseeChange,
  giveUpSeat,
  learningSessions,
  makeSession,
  mySessions,
  sessionUnit,
  sessionsView,
  takeSeat,
  type SeatRight,
} from './sessions.ts';

/** By which right whoever is signed in seats somebody. @throws Refused where they have none */
async function rightOf({ deps, account }: Call, assignmentId: string): Promise<SeatRight> {
  const { role, personId } = account!;
  if (EDITORS.includes(role)) return 'office';
  const found = await findAssignee(deps.db, assignmentId);
  if (found && found.person_id === personId) return 'employees';
  if (found && personId && (await areInLineOf(deps.db, personId, [assignmentId]))) return 'managers';
  throw new Refused('not-allowed', 'This person is not in your line; nothing was changed.');
}

/** Whose personal link it is, and in which unit. @throws Refused */
async function byLink({ deps, req }: Call): Promise<{ assignment: string; unit: string; name: string }> {
  const link = LinkToken.safeParse(req.params['token']);
  if (!link.success) throw new Refused('wrong-link', link.error.issues[0]!.message);
  const assignment = await findIdByLink(deps.db, deps.settings.key, link.data, deps.clock.now());
  const person = assignment && (await findAssignee(deps.db, assignment));
  if (!assignment || !person) throw new Refused('wrong-link');
  const unit = parse(Id, req.params['unit']);
  // of another course, or of a unit that has not opened, nothing leaves the server
  await sessionUnit(deps.db, unit, person.course_id);
  await refuseClosed(deps.db, assignment, unit, deps.clock.now());
  return { assignment, unit, name: person.name };
}

export const sessionRoutes: Route[] = [
  get('/api/courses/:course/sessions/:unit', ({ deps, req }) =>
    sessionsView(deps, parse(Id, req.params['course']), parse(Id, req.params['unit'])),
  ),
  {
    method: 'post',
    path: '/api/courses/:course/sessions/:unit',
    access: EDITORS,
    handle: ({ deps, req, account }) =>
      makeSession(deps, parse(Id, req.params['course']), parse(Id, req.params['unit']), parse(NewSession, req.body), account!.name),
  },
  {
    method: 'post',
    path: '/api/sessions/:id/preview',
    access: EDITORS,
    handle: (call) => foreseeChange(call.deps, idOf(call), parse(SessionChange, call.req.body)),
  },
  {
    method: 'post',
    path: '/api/sessions/:id',
    access: EDITORS,
    handle: (call) => changeSession(call.deps, idOf(call), parse(SessionChange, call.req.body), call.account!.name),
  },
  {
    method: 'post',
    path: '/api/sessions/:id/cancel/preview',
    access: EDITORS,
    handle: (call) => foreseeChange(call.deps, idOf(call), null),
  },
  {
    method: 'post',
    path: '/api/sessions/:id/cancel',
    access: EDITORS,
    handle: (call) => cancelSession(call.deps, idOf(call), parse(SessionCancel, call.req.body).told || null, call.account!.name),
  },
  {
    method: 'post',
    path: '/api/sessions/:id/seats',
    access: 'signed-in',
    async handle(call) {
      const { assignmentId, anyway } = parse(SeatDraft, call.req.body);
      return takeSeat(call.deps, idOf(call), {
        assignmentId,
        anyway,
        byWhom: call.account!.name,
        right: await rightOf(call, assignmentId),
      });
    },
  },
  {
    method: 'post',
    path: '/api/sessions/:id/seats/:assignment/give-up',
    access: 'signed-in',
    async handle(call) {
      const assignmentId = parse(Id, call.req.params['assignment']);
      return giveUpSeat(call.deps, idOf(call), { assignmentId, byWhom: call.account!.name, right: await rightOf(call, assignmentId) });
    },
  },
  get(
    '/api/my-sessions',
    async ({ deps, account }) => {
      if (account!.personId === null) return [];
      return mySessions(deps, await listLine(deps.db, account!.personId, await houseToday(deps)));
    },
    'signed-in',
  ),
  {
    method: 'get',
    path: '/api/learning/:token/units/:unit/sessions',
    access: 'public',
    async handle(call) {
      const { assignment, unit } = await byLink(call);
      return learningSessions(call.deps, unit, assignment);
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/seat',
    access: 'public',
    async handle(call) {
      const { assignment, name } = await byLink(call);
      const { session, anyway } = parse(OwnSeatDraft, call.req.body);
      return takeSeat(call.deps, session, { assignmentId: assignment, anyway, byWhom: `${name}, by personal link`, right: 'employees' });
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/seat/give-up',
    access: 'public',
    async handle(call) {
      const { assignment, name } = await byLink(call);
      const { session } = parse(OwnSeatDraft, call.req.body);
      return giveUpSeat(call.deps, session, { assignmentId: assignment, byWhom: `${name}, by personal link`, right: 'employees' });
    },
  },
];
