import {
  DepartmentChange,
  DepartmentDraft,
  GroupChange,
  GroupDraft,
  HolidaysDraft,
  MembersChange,
  SiteChange,
  SiteDraft,
} from '@nudrik/contract';
import { z } from 'zod';
import { houseToday } from '../people/today.ts';
import { act, bytesOf, DONE, get, idOf, parse, type Route } from '../route.ts';
import { readHolidaysFile } from '../read-apart.ts';
import {
  changeMembers,
  listHolidays,
  removeDepartment,
  removeGroup,
  saveDepartment,
  saveGroup,
  saveHolidays,
  saveSite,
  structureView,
} from './structure.ts';

const ImportYears = z.object({
  fileName: z.string().max(255).default('holidays.ics'),
  from: z.coerce.number().int(),
  to: z.coerce.number().int(),
});

export const structureRoutes: Route[] = [
  get('/api/holidays', ({ deps }) => listHolidays(deps.db), 'signed-in'),
  get('/api/people/structure', async ({ deps }) => structureView(deps.db, await houseToday(deps))),
  act('post', '/api/people/departments', async ({ deps, req, account }) => ({
    id: await saveDepartment(deps, null, parse(DepartmentDraft, req.body), account!.name),
  })),
  act('patch', '/api/people/departments/:id', async (call) => ({
    id: await saveDepartment(call.deps, idOf(call), parse(DepartmentChange, call.req.body), call.account!.name),
  })),
  act('delete', '/api/people/departments/:id', async (call) => {
    await removeDepartment(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  act('post', '/api/people/sites', async ({ deps, req, account }) => ({
    id: await saveSite(deps, null, parse(SiteDraft, req.body), account!.name),
  })),
  act('patch', '/api/people/sites/:id', async (call) => ({
    id: await saveSite(call.deps, idOf(call), parse(SiteChange, call.req.body), call.account!.name),
  })),
  act('put', '/api/people/sites/:id/holidays', async (call) => {
    await saveHolidays(call.deps, idOf(call), parse(HolidaysDraft, call.req.body), call.account!.name);
    return DONE;
  }),
  act(
    'post',
    '/api/people/holidays/read',
    async (call) => {
      const { fileName, from, to } = parse(ImportYears, call.req.query);
      return readHolidaysFile(bytesOf(call), fileName, { from, to });
    },
    'file',
  ),
  act('post', '/api/people/groups', async ({ deps, req, account }) => ({
    id: await saveGroup(deps, null, parse(GroupDraft, req.body), account!.name),
  })),
  act('patch', '/api/people/groups/:id', async (call) => ({
    id: await saveGroup(call.deps, idOf(call), parse(GroupChange, call.req.body), call.account!.name),
  })),
  act('delete', '/api/people/groups/:id', async (call) => {
    await removeGroup(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  act('post', '/api/people/groups/:id/members', async (call) => {
    await changeMembers(call.deps, idOf(call), parse(MembersChange, call.req.body), call.account!.name);
    return DONE;
  }),
];
