import { AsOfQuery, ExportRequest, Id, LinkToken, MatrixQuery, ReportQuery, TodayQuery, UnderWayQuery } from '@nudrik/contract';
import { Zone } from '@nudrik/core';
import { headFile } from '../answer-file.ts';
import { get, idOf, OFFICE, parse, type Call, type Route, ownPerson } from '../route.ts';
import { AT_ONCE } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { Refused } from '../refusal.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';
import { courseReport, listReport, overTime, partsOf } from './course-report.ts';
import { EXPORT_TYPES, reportTable, writeTable, type ExportKind } from './export.ts';
import { findByTeamLink } from './team-links.repo.ts';
import { cellSheet, matrixView } from './matrix.ts';
import { paramsOf } from './params.ts';
import { teamOf } from './team.repo.ts';
import { todayNeeds } from './needs.ts';
import { todayView } from './today.ts';
import { underWay } from './under-way.ts';

async function file({ deps, req, res }: Call, kind: ExportKind): Promise<undefined> {
  const query = parse(ReportQuery, req.query);
  const now = deps.clock.now();
  const { course, ids, at } = await listReport(deps.db, parse(Id, req.params['id']), query, now);
  const zone = Zone.of((await getHouse(deps.db)).zone);
  headFile(res, `${course.title}, ${at.today}.${kind}`, EXPORT_TYPES[kind]);
  await writeTable(kind, res, reportTable(course.title, partsOf(deps.db, ids, query, at, AT_ONCE)), zone, at.now);
  return undefined;
}

/** Where the file is: made while it is fetched, or, where there are many rows, as long work. */
async function exported(call: Call): Promise<unknown> {
  const { kind, ...query } = parse(ExportRequest, call.req.body);
  const id = idOf(call);
  const { course, ids } = await listReport(call.deps.db, id, query, call.deps.clock.now());
  const job = { kind: 'course-export', words: `Exporting ${course.title} as ${kind.toUpperCase()}`, input: { course: id, kind, query } };
  return nowOrLater(call, ids.length > call.deps.settings.jobAbove, job, () =>
    Promise.resolve({ href: `/api/reports/courses/${id}/${kind}?${new URLSearchParams(paramsOf(query)).toString()}` }),
  );
}

export const reportRoutes: Route[] = [
  { method: 'get', path: '/api/today', access: OFFICE, handle: ({ deps, req }) => todayView(deps, parse(TodayQuery, req.query)) },
  { method: 'get', path: '/api/today/needs', access: OFFICE, handle: ({ deps }) => todayNeeds(deps) },
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
  { method: 'post', path: '/api/reports/courses/:id/export', access: OFFICE, handle: exported },
  { method: 'get', path: '/api/reports/courses/:id/csv', access: OFFICE, handle: (call) => file(call, 'csv') },
  { method: 'get', path: '/api/reports/courses/:id/xlsx', access: OFFICE, handle: (call) => file(call, 'xlsx') },
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
