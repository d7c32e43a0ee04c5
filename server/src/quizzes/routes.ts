import { AnswersDraft, Id, LinkToken, MarksDraft } from '@nudrik/contract';
import { Refused } from '../refusal.ts';
import { DONE, EDITORS, get, idOf, parse, type Call, type Route } from '../route.ts';
import { beginAttempt, quizView, saveAnswers, submitAnswers } from './attempts.ts';
import { attemptView, giveAttempt, markAnswers, submissionsView, waitingList } from './marking.ts';

/** The personal link and the unit of a path. */
function placeOf({ req }: Call): [string, string] {
  const token = LinkToken.safeParse(req.params['token']);
  if (!token.success) throw new Refused('wrong-link', token.error.issues[0]!.message);
  return [token.data, parse(Id, req.params['unit'])];
}
const LEARNING = '/api/learning/:token/units/:unit';

export const quizRoutes: Route[] = [
  get(`${LEARNING}/quiz`, (call) => quizView(call.deps, ...placeOf(call)), 'public'),
  { method: 'post', path: `${LEARNING}/quiz`, access: 'public', handle: (call) => beginAttempt(call.deps, ...placeOf(call)) },
  {
    method: 'put',
    path: `${LEARNING}/attempt`,
    access: 'public',
    handle: (call) => saveAnswers(call.deps, ...placeOf(call), parse(AnswersDraft, call.req.body)),
  },
  {
    method: 'post',
    path: `${LEARNING}/attempt`,
    access: 'public',
    handle: (call) => submitAnswers(call.deps, ...placeOf(call), parse(AnswersDraft, call.req.body), call.account?.personId ?? null),
  },
  get('/api/marking', ({ deps }) => waitingList(deps.db)),
  get('/api/courses/:id/quizzes/:unit', (call) => submissionsView(call.deps.db, idOf(call), parse(Id, call.req.params['unit']))),
  get('/api/attempts/:id', (call) => attemptView(call.deps.db, idOf(call))),
  {
    method: 'post',
    path: '/api/attempts/:id/marks',
    access: EDITORS,
    handle: (call) => markAnswers(call.deps, idOf(call), parse(MarksDraft, call.req.body), call.account!.name),
  },
  {
    method: 'post',
    path: '/api/assignments/:id/quizzes/:unit/another',
    access: EDITORS,
    async handle(call) {
      await giveAttempt(call.deps, idOf(call), parse(Id, call.req.params['unit']), call.account!.name);
      return DONE;
    },
  },
];
