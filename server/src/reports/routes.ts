import { Id, LinkToken, ReportQuery, TodayQuery } from '@nudrik/contract';
import { Zone } from '@nudrik/core';
import { OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { getHouse } from '../house/house.ts';
import { houseToday } from '../people/today.ts';
import { allReportRows, courseReport, overTime } from './course-report.ts';
import { sendCsv, sendXlsx } from './export.ts';
import { findByTeamToken } from './team-links.repo.ts';
import { teamOf } from './team.repo.ts';
import { todayView } from './today.ts';

async function file({ deps, req, res }: Call, kind: 'csv' | 'xlsx'): Promise<undefined> {
  const { course, rows } = await allReportRows(deps.db, parse(Id, req.params['id']), parse(ReportQuery, req.query), deps.clock.now());
  const zone = Zone.of((await getHouse(deps.db)).zone);
  const name = `${course.title}, ${await houseToday(deps)}`;
  if (kind === 'csv') await sendCsv(res, name, rows, zone);
  else await sendXlsx(res, name, course.title, rows, zone, deps.clock.now());
  return undefined;
}

export const reportRoutes: Route[] = [
  { method: 'get', path: '/api/today', access: OFFICE, handle: ({ deps, req }) => todayView(deps, parse(TodayQuery, req.query)) },
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
      const id = token.success ? await findByTeamToken(deps.db, token.data, today) : null;
      if (id === null) throw new Refused('wrong-link');
      return teamOf(deps.db, id, deps.clock.now(), today);
    },
  },
  {
    method: 'get',
    path: '/api/team',
    access: ['manager', 'administrator', 'trainer'],
    async handle({ deps, account }) {
      if (!account!.personId) throw new Refused('not-found', 'This account belongs to nobody on the roster, so it has no team.');
      return teamOf(deps.db, account!.personId, deps.clock.now(), await houseToday(deps));
    },
  },
];
