import { Id, LinkToken, SurveyAnswersDraft } from '@nudrik/contract';
import { headFile } from '../answer-file.ts';
import { Refused } from '../refusal.ts';
import { get, idOf, parse, type Call, type Route } from '../route.ts';
import { answerSurvey, surveyCsv, surveyView } from './surveys.ts';

const unitOf = ({ req }: Call): string => parse(Id, req.params['unit']);

export const surveyRoutes: Route[] = [
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/survey',
    access: 'public',
    handle(call) {
      const link = LinkToken.safeParse(call.req.params['token']);
      if (!link.success) throw new Refused('wrong-link', link.error.issues[0]!.message);
      const by = { link: link.data, signedIn: call.account?.personId ?? null };
      return answerSurvey(call.deps, by, unitOf(call), parse(SurveyAnswersDraft, call.req.body));
    },
  },
  get('/api/courses/:id/surveys/:unit', (call) => surveyView(call.deps.db, idOf(call), unitOf(call))),
  get('/api/courses/:id/surveys/:unit/csv', async (call) => {
    const { name, text } = await surveyCsv(call.deps.db, idOf(call), unitOf(call));
    headFile(call.res, name, 'text/csv; charset=utf-8');
    call.res.end(Buffer.from(text));
    return undefined;
  }),
];
