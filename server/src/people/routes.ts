import { Id, ImportQuery, LeaveChange, LeaveDraft, PeopleQuery, PersonChange, ReachChange, ResolveRequest } from '@nudrik/contract';
import { act, ADMINISTRATORS, bytesOf, DONE, get, idOf, OFFICE, parse, type Call, type Route, ownPerson } from '../route.ts';
import { isLarge, type NewJob } from '../work/jobs.ts';
import { nowOrLater } from '../work/routes.ts';
import { sendFile } from '../answer-file.ts';
import { endDecline } from '../declines/declines.ts';
import { Refused } from '../refusal.ts';
import { whyCourse } from '../requirements/why.ts';
import { addPerson, changePerson } from './change.ts';
import { foreseeImport, rosterFacts, takeImport } from './import.ts';
import { addLeave, addOwnLeave, endLeave, listOwnLeave, removeLeave } from './leave.ts';
import { findPersonSheet, listPeople, peopleFacets } from './people.repo.ts';
import { resolvePeople } from './resolve.ts';
import { changeReach, reachView } from './reach.ts';
import { timelineOf } from './timeline.ts';
import { houseToday } from './today.ts';
import { getImportFile, listImports, undoImport } from './undo-import.ts';

/** A file with a line for each of many, or for a roster of many: both are compared with each other. */
const isLongFile = async (call: Call): Promise<boolean> =>
  bytesOf(call).length > 100 * call.deps.settings.jobAbove || (await isLarge(call.deps));
const fileJob = (call: Call, kind: string, words: string, input: ImportQuery): NewJob => ({
  kind,
  words,
  input,
  file: { name: input.order.fileName, bytes: bytesOf(call) },
});

const imports: Route[] = [
  get('/api/people/roster', ({ deps }) => rosterFacts(deps), ADMINISTRATORS),
  get('/api/people/imports', ({ deps }) => listImports(deps.db)),
  act(
    'post',
    '/api/people/imports',
    (call) => {
      const input = parse(ImportQuery, call.req.query);
      return nowOrLater(call, isLongFile(call), fileJob(call, 'import', `Taking ${input.order.fileName}`, input), () =>
        takeImport(call.deps, bytesOf(call), input.order, call.account!.name),
      );
    },
    'file',
  ),
  act(
    'post',
    '/api/people/imports/foresee',
    (call) => {
      const input = parse(ImportQuery, call.req.query);
      const words = `Working out what taking ${input.order.fileName} would bring`;
      return nowOrLater(call, isLongFile(call), fileJob(call, 'import-foresight', words, input), () =>
        foreseeImport(call.deps, bytesOf(call), input.order),
      );
    },
    'file',
  ),
  get('/api/people/imports/:id/file', async (call) => sendFile(call.res, await getImportFile(call.deps.db, idOf(call)))),
  act('post', '/api/people/imports/:id/undo', (call) => {
    const job = { kind: 'import-undo', words: 'Undoing an import', input: { id: idOf(call) } };
    return nowOrLater(call, isLarge(call.deps), job, () => undoImport(call.deps, idOf(call), call.account!.name));
  }),
];

export const peopleRoutes: Route[] = [
  get('/api/people', async ({ deps, req }) => listPeople(deps.db, parse(PeopleQuery, req.query), deps.clock.now(), await houseToday(deps))),
  act('post', '/api/people', async ({ deps, req, account }) => ({
    id: await addPerson(deps, parse(PersonChange, req.body), account!.name),
  })),
  get('/api/people/facets', async ({ deps }) => peopleFacets(deps.db, await houseToday(deps))),
  {
    method: 'post',
    path: '/api/people/resolve',
    access: OFFICE,
    handle: async ({ deps, req }) => resolvePeople(deps.db, parse(ResolveRequest, req.body).text, await houseToday(deps)),
  },
  ...imports,
  get('/api/people/:id', async (call) => {
    const sheet = await findPersonSheet(call.deps.db, idOf(call), call.deps.clock.now(), await houseToday(call.deps));
    if (!sheet) throw new Refused('not-found', 'There is no such person, or not any more.');
    return { ...sheet, person: { ...sheet.person, reach: await reachView(call.deps, sheet.person.id) } };
  }),
  act('put', '/api/people/:id/reach', (call) => changeReach(call.deps, idOf(call), parse(ReachChange, call.req.body), call.account!.name)),
  act('delete', '/api/people/:id/declined/:decline', async (call) => {
    await endDecline(call.deps, idOf(call), parse(Id, call.req.params['decline']), call.account!.name);
    return reachView(call.deps, idOf(call));
  }),
  act('patch', '/api/people/:id', async (call) => {
    await changePerson(call.deps, idOf(call), parse(PersonChange, call.req.body), call.account!.name);
    return DONE;
  }),
  get('/api/people/:id/timeline', (call) => timelineOf(call.deps.db, idOf(call), call.deps.clock.now())),
  get('/api/people/:id/why/:courseId', (call) => whyCourse(call.deps, idOf(call), parse(Id, call.req.params['courseId']))),
  get('/api/my-leave', ({ deps, account }) => listOwnLeave(deps, ownPerson(account, 'leave')), ['manager', 'administrator', 'trainer']),
  {
    method: 'post',
    path: '/api/my-leave',
    access: ['manager', 'administrator', 'trainer'],
    handle: ({ deps, req, account }) => addOwnLeave(deps, ownPerson(account, 'leave'), parse(LeaveDraft, req.body), account!.name),
  },
  {
    method: 'delete',
    path: '/api/my-leave/:leave',
    access: ['manager', 'administrator', 'trainer'],
    async handle({ deps, req, account }) {
      const person = ownPerson(account, 'leave');
      await removeLeave(deps, person, parse(Id, req.params['leave']), account!.name);
      return listOwnLeave(deps, person);
    },
  },
  act('post', '/api/people/:id/leaves', async (call) => ({
    id: await addLeave(call.deps, idOf(call), parse(LeaveDraft, call.req.body), call.account!.name),
  })),
  act('patch', '/api/people/:id/leaves/:leave', async (call) => {
    const change = parse(LeaveChange, call.req.body);
    await endLeave(call.deps, idOf(call), parse(Id, call.req.params['leave']), change, call.account!.name);
    return DONE;
  }),
  act('delete', '/api/people/:id/leaves/:leave', async (call) => {
    await removeLeave(call.deps, idOf(call), parse(Id, call.req.params['leave']), call.account!.name);
    return DONE;
  }),
];
