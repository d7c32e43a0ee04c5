import {
  AskDraft,
  AskedQuery,
  AskWordDraft,
  CalendarChange,
  Id,
  LinkToken,
  PackageReport,
  Place,
  PlayedReport,
  ReachChange,
} from '@nudrik/contract';
import { DONE, idOf, parse, type Call, type Route, ownPerson } from '../route.ts';
import { Refused } from '../refusal.ts';
import type { Captions } from '@nudrik/core';
import { maybeRow } from '../db/db.ts';
import { findIdByLink } from '../assignments/assignments.repo.ts';
import { findCertificate } from '../certificates/certificates.repo.ts';
import { ask, askedView, writeOn } from '../conversations/asked.ts';
import { openCertificate } from '../certificates/routes.ts';
import { endShownLink, makeShownLink, shownLink } from '../certificates/shown.ts';
import { answerCourseFile } from '../files/routes.ts';
import { endDecline } from '../declines/declines.ts';
import { changeReach, reachView } from '../people/reach.ts';
import { houseToday } from '../people/today.ts';
import { headFile } from '../answer-file.ts';
import { calendarOf, setCalendar } from './calendar.ts';
import { signOffDocument } from '../sign-offs/document.ts';
import { renewLink } from './renew.ts';
import { noteOpenedAt } from './opened.ts';
import { findLearning, listMyTraining, markUnitDone, refuseClosed, startLearning } from './learn.ts';
import { findPackage, keepPlace, tellPackage, tellPlayed, type By } from './work.ts';

/** A personal link is its own key: a token with a signature of 192 bits, good for one assignment and nothing else. */
const token = (value: unknown): string => {
  const parsed = LinkToken.safeParse(value);
  if (!parsed.success) throw new Refused('wrong-link', parsed.error.issues[0]!.message);
  return parsed.data;
};

const by = ({ req, account }: Call): By => ({ link: token(req.params['token']), signedIn: account?.personId ?? null });
const unitOf = ({ req }: Call): string => parse(Id, req.params['unit']);

const GET_FILE_ID = `
select u.file_id, u.content -> 'video' -> 'captions' as captions
from units u
join sections s on s.id = u.section_id
join assignments a on a.course_id = s.course_id
where a.id = $1::bigint
  and u.id = $2::bigint
  and u.file_id is not null
`;
const GET_SERIAL = 'select serial from standing_certificates where assignment_id = $1::bigint';

/** The file of a unit that is open behind a link. @throws Refused */
async function fileOf({ deps, req }: Call): Promise<{ file_id: string; captions: Captions[] | null }> {
  const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
  const unitId = parse(Id, req.params['unit']);
  const unit = await maybeRow<{ file_id: string; captions: Captions[] | null }>(deps.db, GET_FILE_ID, [id, unitId]);
  if (id === null || !unit) throw new Refused('wrong-link');
  await refuseClosed(deps.db, id, unitId, deps.clock.now());
  return unit;
}

const GET_READER = 'select p.id, p.name from assignments a join people p on p.id = a.person_id where a.id = $1::bigint';

/** Whose personal link it is. @throws Refused */
async function readerOf({ deps, req }: Call): Promise<{ id: string; name: string }> {
  const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
  const reader = id === null ? null : await maybeRow<{ id: string; name: string }>(deps.db, GET_READER, [id]);
  if (!reader) throw new Refused('wrong-link');
  return reader;
}

/** Whose certificate a personal link leads to. @throws Refused */
async function assignmentOf({ deps, req }: Call): Promise<string> {
  const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
  if (id === null) throw new Refused('wrong-link');
  return id;
}

export const learningRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/learning/:token',
    access: 'public',
    async handle({ deps, req }) {
      const link = token(req.params['token']);
      const found = await findLearning(deps, link);
      const id = await findIdByLink(deps.db, deps.settings.key, link, deps.clock.now());
      if (id !== null) await noteOpenedAt(deps, id);
      return found;
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/start',
    access: 'public',
    async handle({ deps, req, account }) {
      await startLearning(deps, token(req.params['token']), account?.personId ?? null);
      return { done: true };
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/renew',
    access: 'public',
    handle: ({ deps, req }) => renewLink(deps, token(req.params['token']), req.ip ?? 'nowhere'),
  },
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/done',
    access: 'public',
    handle: ({ deps, req, account }) =>
      markUnitDone(deps, token(req.params['token']), parse(Id, req.params['unit']), account?.personId ?? null),
  },
  {
    method: 'get',
    path: '/api/learning/:token/units/:unit/file',
    access: 'public',
    handle: async (call) => answerCourseFile(call, (await fileOf(call)).file_id, false),
  },
  {
    method: 'get',
    path: '/api/learning/:token/units/:unit/captions/:language',
    access: 'public',
    async handle(call) {
      const { captions } = await fileOf(call);
      return answerCourseFile(call, captions?.find(({ language }) => language === call.req.params['language'])?.fileId ?? null, false);
    },
  },
  {
    method: 'put',
    path: '/api/learning/:token/units/:unit/place',
    access: 'public',
    async handle(call) {
      await keepPlace(call.deps, by(call), unitOf(call), parse(Place, call.req.body));
      return DONE;
    },
  },
  {
    method: 'post',
    path: '/api/learning/:token/units/:unit/played',
    access: 'public',
    handle: (call) => tellPlayed(call.deps, by(call), unitOf(call), parse(PlayedReport, call.req.body)),
  },
  {
    method: 'get',
    path: '/api/learning/:token/units/:unit/package',
    access: 'public',
    handle: (call) => findPackage(call.deps, by(call), unitOf(call)),
  },
  {
    method: 'put',
    path: '/api/learning/:token/units/:unit/package',
    access: 'public',
    handle: (call) => tellPackage(call.deps, by(call), unitOf(call), parse(PackageReport, call.req.body)),
  },
  {
    method: 'get',
    path: '/api/learning/:token/sign-offs/:unit',
    access: 'public',
    async handle(call) {
      const { deps, res } = call;
      const id = await findIdByLink(deps.db, deps.settings.key, token(call.req.params['token']), deps.clock.now());
      if (id === null) throw new Refused('wrong-link');
      const { name, content } = await signOffDocument(deps.db, id, unitOf(call));
      headFile(res, name, 'application/pdf', 'inline');
      res.end(content);
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/learning/:token/certificate',
    access: 'public',
    async handle({ deps, req, res }) {
      const id = await findIdByLink(deps.db, deps.settings.key, token(req.params['token']), deps.clock.now());
      const row = id === null ? null : await maybeRow<{ serial: string }>(deps.db, GET_SERIAL, [id]);
      if (!row) throw new Refused('wrong-link', 'There is no certificate behind this link yet: it comes with finishing the course.');
      await openCertificate(deps, res, (await findCertificate(deps.db, row.serial))!);
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/learning/:token/shown',
    access: 'public',
    handle: async (call) => shownLink(call.deps, await assignmentOf(call)),
  },
  {
    method: 'post',
    path: '/api/learning/:token/shown',
    access: 'public',
    handle: async (call) => makeShownLink(call.deps, await assignmentOf(call)),
  },
  {
    method: 'delete',
    path: '/api/learning/:token/shown',
    access: 'public',
    handle: async (call) => endShownLink(call.deps, await assignmentOf(call)),
  },
  {
    method: 'get',
    path: '/api/learning/:token/asked',
    access: 'public',
    handle: ({ deps, req }) => askedView(deps, { link: token(req.params['token']) }, parse(AskedQuery, req.query).after ?? null),
  },
  {
    method: 'post',
    path: '/api/learning/:token/asked',
    access: 'public',
    handle: ({ deps, req, account }) => ask(deps, { link: token(req.params['token']), account }, parse(AskDraft, req.body)),
  },
  {
    method: 'post',
    path: '/api/learning/:token/asked/:id/words',
    access: 'public',
    handle: (call) => writeOn(call.deps, { link: token(call.req.params['token']), account: call.account }, idOf(call), parse(AskWordDraft, call.req.body)), // prettier-ignore
  },
  {
    method: 'get',
    path: '/api/my-training',
    access: 'signed-in',
    async handle({ deps, account }) {
      return listMyTraining(deps, ownPerson(account, 'training of its own'), await houseToday(deps));
    },
  },
  {
    method: 'put',
    path: '/api/my-training/calendar',
    access: 'signed-in',
    handle: ({ deps, req, account }) => setCalendar(deps, ownPerson(account, 'training of its own'), parse(CalendarChange, req.body).isOn),
  },
  {
    method: 'put',
    path: '/api/my-training/reach',
    access: 'signed-in',
    handle: ({ deps, req, account }) =>
      changeReach(deps, ownPerson(account, 'training of its own'), parse(ReachChange, req.body), account!.name),
  },
  {
    method: 'delete',
    path: '/api/my-training/declined/:id',
    access: 'signed-in',
    async handle({ deps, req, account }) {
      const person = ownPerson(account, 'training of its own');
      await endDecline(deps, person, parse(Id, req.params['id']), account!.name);
      return reachView(deps, person);
    },
  },
  {
    method: 'get',
    path: '/api/learning/:token/reach',
    access: 'public',
    handle: async (call) => reachView(call.deps, (await readerOf(call)).id),
  },
  {
    method: 'put',
    path: '/api/learning/:token/reach',
    access: 'public',
    async handle(call) {
      const { id, name } = await readerOf(call);
      return changeReach(call.deps, id, parse(ReachChange, call.req.body), name);
    },
  },
  {
    method: 'delete',
    path: '/api/learning/:token/declined/:id',
    access: 'public',
    async handle(call) {
      const { id, name } = await readerOf(call);
      await endDecline(call.deps, id, parse(Id, call.req.params['id']), name);
      return reachView(call.deps, id);
    },
  },
  {
    method: 'get',
    path: '/api/calendars/:token',
    access: 'public',
    async handle({ deps, req, res }) {
      const text = await calendarOf(deps, String(req.params['token']).slice(0, 200));
      headFile(res, 'due-dates.ics', 'text/calendar; charset=utf-8', 'inline');
      res.setHeader('cache-control', 'no-store');
      res.end(text);
      return undefined;
    },
  },
];
