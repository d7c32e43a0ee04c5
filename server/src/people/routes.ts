import { DepartmentDraft, FeedChange, FeedModeChange, GroupDraft, HolidaysDraft, Id, ImportQuery, LeaveDraft, MembersChange, PeopleQuery, PersonChange, ResolveRequest, SiteDraft, type FeedMode, type FeedView } from '@nudrik/contract'; // prettier-ignore
import { z } from 'zod';
import { ADMINISTRATORS, OFFICE, parse, sendFile, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { whyCourse } from '../requirements/why.ts';
import { addPerson, changePerson } from './change.ts';
import { changeFeed, decidePull, feedView, previewPull, pullNow } from './feed.ts';
import { readHolidays } from './holidays-file.ts';
import { rosterFacts, takeImport } from './import.ts';
import { addLeave, removeLeave } from './leave.ts';
import { findPersonSheet, listPeople, peopleFacets } from './people.repo.ts';
import { resolvePeople } from './resolve.ts';
import {
  changeMembers,
  removeDepartment,
  removeGroup,
  saveDepartment,
  saveGroup,
  saveHolidays,
  saveSite,
  structureView,
} from './structure.ts';
import { timelineOf } from './timeline.ts';
import { houseToday } from './today.ts';
import { getImportFile, listImports, undoImport } from './undo-import.ts';

const idOf = ({ req }: Call, name = 'id'): string => parse(Id, req.params[name]);
const bytesOf = ({ req }: Call): Buffer => (Buffer.isBuffer(req.body) ? req.body : Buffer.alloc(0));
const done = { done: true };

type Handle = (call: Call) => Promise<unknown>;
const get = (path: string, handle: Handle, access: Route['access'] = OFFICE): Route => ({ method: 'get', path, access, handle });
const act = (method: 'post' | 'put' | 'patch' | 'delete', path: string, handle: Handle): Route => ({
  method,
  path,
  access: ADMINISTRATORS,
  handle,
});

/** The demo's feed, where it can be told to misbehave. */
async function askStandIn({ deps }: Call, init: RequestInit = {}): Promise<FeedMode | null> {
  if (!deps.settings.feedStandInUrl) return null;
  try {
    const answer = await fetch(`${deps.settings.feedStandInUrl}/behaviour`, { ...init, headers: { 'content-type': 'application/json' }, signal: AbortSignal.timeout(2_000) }); // prettier-ignore
    return ((await answer.json()) as { mode: FeedMode }).mode;
  } catch {
    return null;
  }
}

const ImportYears = z.object({
  fileName: z.string().max(255).default('holidays.ics'),
  from: z.coerce.number().int(),
  to: z.coerce.number().int(),
});

const imports: Route[] = [
  get('/api/people/roster', ({ deps }) => rosterFacts(deps), ADMINISTRATORS),
  get('/api/people/imports', ({ deps }) => listImports(deps.db)),
  act('post', '/api/people/imports', (call) => takeImport(call.deps, bytesOf(call), parse(ImportQuery, call.req.query).order, call.account!.name)),
  get('/api/people/imports/:id/file', async (call) => sendFile(call, await getImportFile(call.deps.db, idOf(call)))),
  act('post', '/api/people/imports/:id/undo', async (call) => {
    await undoImport(call.deps, idOf(call), call.account!.name);
    return done;
  }),
]; // prettier-ignore

const feed: Route[] = [
  get('/api/people/feed', async (call): Promise<FeedView> => ({ ...(await feedView(call.deps)), isStandIn: call.deps.settings.feedStandInUrl !== null, mode: await askStandIn(call) })),
  act('put', '/api/people/feed', async ({ deps, req }) => {
    await changeFeed(deps, parse(FeedChange, req.body));
    return done;
  }),
  act('post', '/api/people/feed/pull', ({ deps, account }) => pullNow(deps, account!.name)),
  act('put', '/api/people/feed/mode', async (call) => {
    if (!call.deps.settings.feedStandInUrl) throw new Refused('only-in-demo', 'Only the demo’s feed can be told to misbehave.');
    return { mode: await askStandIn(call, { method: 'PUT', body: JSON.stringify(parse(FeedModeChange, call.req.body)) }) };
  }),
  get('/api/people/feed/pulls/:id', (call) => previewPull(call.deps, idOf(call))),
  ...(['approve', 'decline'] as const).map((word) =>
    act('post', `/api/people/feed/pulls/:id/${word}`, async (call) => {
      await decidePull(call.deps, idOf(call), word === 'approve', call.account!.name);
      return done;
    }),
  ),
]; // prettier-ignore

const structure: Route[] = [
  get('/api/people/structure', async ({ deps }) => structureView(deps.db, await houseToday(deps))),
  act('post', '/api/people/departments', async ({ deps, req }) => ({ id: await saveDepartment(deps, null, parse(DepartmentDraft, req.body)) })),
  act('patch', '/api/people/departments/:id', async (call) => ({ id: await saveDepartment(call.deps, idOf(call), parse(DepartmentDraft, call.req.body)) })),
  act('delete', '/api/people/departments/:id', async (call) => {
    await removeDepartment(call.deps, idOf(call));
    return done;
  }),
  act('post', '/api/people/sites', async ({ deps, req }) => ({ id: await saveSite(deps, null, parse(SiteDraft, req.body)) })),
  act('patch', '/api/people/sites/:id', async (call) => ({ id: await saveSite(call.deps, idOf(call), parse(SiteDraft, call.req.body)) })),
  act('put', '/api/people/sites/:id/holidays', async (call) => {
    await saveHolidays(call.deps, idOf(call), parse(HolidaysDraft, call.req.body));
    return done;
  }),
  act('post', '/api/people/holidays/read', async (call) => {
    const { fileName, from, to } = parse(ImportYears, call.req.query);
    return readHolidays(bytesOf(call), fileName, { from, to });
  }),
  act('post', '/api/people/groups', async ({ deps, req }) => ({ id: await saveGroup(deps, null, parse(GroupDraft, req.body)) })),
  act('patch', '/api/people/groups/:id', async (call) => ({ id: await saveGroup(call.deps, idOf(call), parse(GroupDraft, call.req.body)) })),
  act('delete', '/api/people/groups/:id', async (call) => {
    await removeGroup(call.deps, idOf(call), call.account!.name);
    return done;
  }),
  act('post', '/api/people/groups/:id/members', async (call) => {
    await changeMembers(call.deps, idOf(call), parse(MembersChange, call.req.body), call.account!.name);
    return done;
  }),
]; // prettier-ignore

export const peopleRoutes: Route[] = [
  get('/api/people', async ({ deps, req }) => listPeople(deps.db, parse(PeopleQuery, req.query), deps.clock.now(), await houseToday(deps))),
  act('post', '/api/people', async ({ deps, req, account }) => ({ id: await addPerson(deps, parse(PersonChange, req.body), account!.name) })),
  get('/api/people/facets', ({ deps }) => peopleFacets(deps.db)),
  { method: 'post', path: '/api/people/resolve', access: OFFICE, handle: async ({ deps, req }) => resolvePeople(deps.db, parse(ResolveRequest, req.body).text, await houseToday(deps)) },
  ...imports,
  ...feed,
  ...structure,
  get('/api/people/:id', async (call) => {
    const sheet = await findPersonSheet(call.deps.db, idOf(call), call.deps.clock.now(), await houseToday(call.deps));
    if (!sheet) throw new Refused('not-found', 'There is no such person, or not any more.');
    return sheet;
  }),
  act('patch', '/api/people/:id', async (call) => {
    await changePerson(call.deps, idOf(call), parse(PersonChange, call.req.body), call.account!.name);
    return done;
  }),
  get('/api/people/:id/timeline', (call) => timelineOf(call.deps.db, idOf(call), call.deps.clock.now())),
  get('/api/people/:id/why/:courseId', (call) => whyCourse(call.deps, idOf(call), idOf(call, 'courseId'))),
  act('post', '/api/people/:id/leaves', async (call) => ({ id: await addLeave(call.deps, idOf(call), parse(LeaveDraft, call.req.body), call.account!.name) })),
  act('delete', '/api/people/:id/leaves/:leave', async (call) => {
    await removeLeave(call.deps, idOf(call), idOf(call, 'leave'), call.account!.name);
    return done;
  }),
]; // prettier-ignore
