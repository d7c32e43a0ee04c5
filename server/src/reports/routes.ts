import { z } from 'zod';
import {
  AsOfQuery,
  FigureQuery,
  FIGURES,
  FinishedQuery,
  Id,
  LinkToken,
  MatrixQuery,
  NotifiedQuery,
  ReportFile,
  ReportLettersQuery,
  ReportQuery,
  SentReportDraft,
  TodayQuery,
  UnderWayQuery,
  type ReportRequest,
} from '@nudrik/contract';
import { headFile } from '../answer-file.ts';
import { sendStored } from '../files/stored.ts';
import { DONE, EDITORS, get, idOf, OFFICE, parse, type Call, type Route, ownPerson } from '../route.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { courseReport, overTime } from './course-report.ts';
import { figureView } from './figures.ts';
import { fileOf } from './files.ts';
import { coverageView, finishedView, notifiedView } from './lists.ts';
import {
  addSentReport,
  changeSentReport,
  letterFile,
  lettersView,
  letterView,
  removeSentReport,
  sendNow,
  sentReportsView,
} from './sent.ts';
import { findByTeamLink } from './team-links.repo.ts';
import { cellSheet, matrixView } from './matrix.ts';
import { paramsOf } from './params.ts';
import { teamOf } from './team.repo.ts';
import { teamDay } from './team.ts';
import { todayNeeds } from './needs.ts';
import { todayView } from './today.ts';
import { underWay } from './under-way.ts';

async function sendReport({ deps, res }: Call, file: ReportFile): Promise<undefined> {
  const ready = await fileOf(deps, file);
  headFile(res, ready.name, ready.type);
  await ready.write(res, AT_ONCE);
  return undefined;
}
const asFile = ({ kind, ...of }: Record<string, unknown>): ReportFile => parse(ReportFile, { kind, of });

const flat = (of: ReportRequest): string => new URLSearchParams(paramsOf(of)).toString();
/** Where the file is: made while it is fetched, or, where there are many rows, as long work. */
async function exported(call: Call): Promise<unknown> {
  const file = parse(ReportFile, call.req.body);
  const { total, name } = await fileOf(call.deps, file);
  const job = { kind: 'report-file', words: `Making ${name}`, input: file };
  return nowOrLater(call, total > call.deps.settings.jobAbove, job, () =>
    Promise.resolve({ href: `/api/reports/file?kind=${file.kind}&${flat(file.of)}` }),
  );
}

export const reportRoutes: Route[] = [
  { method: 'get', path: '/api/today', access: OFFICE, handle: ({ deps, req }) => todayView(deps, parse(TodayQuery, req.query)) },
  { method: 'get', path: '/api/today/needs', access: OFFICE, handle: ({ deps, account }) => todayNeeds(deps, account!.role) },
  get('/api/matrix', ({ deps, req }) => matrixView(deps.db, parse(MatrixQuery, req.query), deps.clock.now())),
  get('/api/matrix/cells/:person/:course', ({ deps, req }) =>
    cellSheet(deps.db, parse(Id, req.params['person']), parse(Id, req.params['course']), parse(AsOfQuery, req.query), deps.clock.now()),
  ),
  {
    method: 'get',
    path: '/api/reports/courses/:id',
    access: OFFICE,
    handle: ({ deps, req }) => courseReport(deps.db, parse(Id, req.params['id']), parse(ReportQuery, req.query), deps.clock.now()),
  },
  {
    method: 'get',
    path: '/api/reports/courses/:id/over-time',
    access: OFFICE,
    handle: ({ deps, req }) => overTime(deps.db, parse(Id, req.params['id']), deps.clock.now()),
  },
  {
    method: 'get',
    path: '/api/reports/courses/:id/under-way',
    access: OFFICE,
    handle: (call) => underWay(call.deps, idOf(call), parse(UnderWayQuery, call.req.query)),
  },
  get('/api/reports/courses/:id/notified', (call) => notifiedView(call.deps, idOf(call), parse(NotifiedQuery, call.req.query))),
  get('/api/reports/courses/:id/coverage', (call) => coverageView(call.deps, idOf(call), parse(NotifiedQuery, call.req.query))),
  get('/api/reports/courses/:id/finished', (call) => finishedView(call.deps, idOf(call), parse(FinishedQuery, call.req.query))),
  get('/api/figures/:name', (call) =>
    figureView(call.deps, parse(z.enum(FIGURES), call.req.params['name']), parse(FigureQuery, call.req.query)),
  ),
  { method: 'post', path: '/api/reports/file', access: OFFICE, handle: exported },
  get('/api/reports/sent', ({ deps }) => sentReportsView(deps)),
  {
    method: 'post',
    path: '/api/reports/sent',
    access: EDITORS,
    handle: ({ deps, req, account }) => addSentReport(deps, parse(SentReportDraft, req.body), account!.name),
  },
  {
    method: 'put',
    path: '/api/reports/sent/:id',
    access: EDITORS,
    async handle(call) {
      await changeSentReport(call.deps, idOf(call), parse(SentReportDraft, call.req.body), call.account!.name);
      return DONE;
    },
  },
  {
    method: 'delete',
    path: '/api/reports/sent/:id',
    access: EDITORS,
    async handle(call) {
      await removeSentReport(call.deps, idOf(call));
      return DONE;
    },
  },
  {
    method: 'post',
    path: '/api/reports/sent/:id/now',
    access: EDITORS,
    async handle(call) {
      await sendNow(call.deps, idOf(call), call.account!);
      return DONE;
    },
  },
  get('/api/reports/letters', ({ deps, req }) => lettersView(deps, parse(ReportLettersQuery, req.query))),
  get('/api/reports/letters/:id', (call) => letterView(call.deps.db, idOf(call), call.account!), 'signed-in'),
  get(
    '/api/reports/letters/:id/file',
    async (call) => {
      const file = await letterFile(call.deps.db, idOf(call), call.account!);
      return sendStored(call.res, call.deps.db, file);
    },
    'signed-in',
  ),
  get('/api/reports/file', (call) => sendReport(call, asFile(call.req.query as Record<string, unknown>))),
  {
    method: 'get',
    path: '/api/team/day',
    access: ['manager', 'administrator', 'trainer'],
    async handle({ deps, req, account }) {
      return teamDay(deps.db, ownPerson(account, 'team'), parse(AsOfQuery, req.query), deps.clock.now(), await houseToday(deps));
    },
  },
  {
    method: 'get',
    path: '/api/team/:token',
    access: 'public',
    // a manager's personal link: it reads, and changes nothing
    async handle({ deps, req }) {
      const today = await houseToday(deps);
      const token = LinkToken.safeParse(req.params['token']);
      const id = token.success ? await findByTeamLink(deps.db, deps.settings.key, token.data, today) : null;
      if (id === null) throw new Refused('wrong-link');
      return teamOf(deps.db, id, deps.clock.now(), today);
    },
  },
  {
    method: 'get',
    path: '/api/team',
    access: ['manager', 'administrator', 'trainer'],
    async handle({ deps, account }) {
      return teamOf(deps.db, ownPerson(account, 'team'), deps.clock.now(), await houseToday(deps));
    },
  },
];
