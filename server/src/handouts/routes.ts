import { DownloadOpen, HandoutQuery, Id, LinkToken } from '@nudrik/contract';
import { sendFile } from '../answer-file.ts';
import { addPicture } from '../messages/picture.ts';
import { hasPlan } from '../plans/plans.repo.ts';
import { Refused } from '../refusal.ts';
import { ADMINISTRATORS, bytesOf, get, idOf, OFFICE, parse, type Call, type Route } from '../route.ts';
import { addHandout, askAnew, downloadView, handoutList, openDownload, replaceHandout } from './handouts.ts';

const courseOf = async ({ deps, req }: Call): Promise<string> => {
  const id = parse(Id, req.params['courseId']);
  if (!(await hasPlan(deps.db, id))) throw new Refused('not-found', 'There is no such plan, or not any more.');
  return id;
};
const linkOf = ({ req }: Call): string => {
  const link = LinkToken.safeParse(req.params['token']);
  if (!link.success) throw new Refused('wrong-link', link.error.issues[0]!.message);
  return link.data;
};
const uploadOf = (call: Call) => ({ name: parse(HandoutQuery, call.req.query).name, content: bytesOf(call) });

export const handoutRoutes: Route[] = [
  { ...get('/api/plans/:courseId/handouts', async (call) => handoutList(call.deps.db, await courseOf(call))), access: OFFICE },
  {
    method: 'post',
    path: '/api/plans/:courseId/handouts',
    access: ADMINISTRATORS,
    takes: 'file',
    handle: async (call) => addHandout(call.deps, await courseOf(call), uploadOf(call), call.account!.name),
  },
  {
    method: 'post',
    path: '/api/messages/pictures',
    access: ADMINISTRATORS,
    takes: 'file',
    handle: (call) => addPicture(call.deps, uploadOf(call)),
  },
  {
    method: 'put',
    path: '/api/handouts/:id',
    access: ADMINISTRATORS,
    takes: 'file',
    handle: (call) => replaceHandout(call.deps, idOf(call), uploadOf(call), call.account!.name),
  },
  { method: 'get', path: '/api/downloads/:token', access: 'public', handle: (call) => downloadView(call.deps, linkOf(call)) },
  {
    method: 'post',
    path: '/api/downloads/:token/open',
    access: 'public',
    async handle(call) {
      sendFile(call.res, await openDownload(call.deps, linkOf(call), parse(DownloadOpen, call.req.body).holder));
      return undefined;
    },
  },
  {
    method: 'post',
    path: '/api/downloads/:token/anew',
    access: 'public',
    handle: (call) => askAnew(call.deps, linkOf(call), call.req.ip ?? ''),
  },
];
