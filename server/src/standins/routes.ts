import { headFile } from '../answer-file.ts';
import { BehaviourChange, ChatRoomChange, ChatRoomReply, PostRoomReply, ServerChange } from '@nudrik/contract';
import { announce } from '../db/db.ts';
import { Refused } from '../refusal.ts';
import { ADMINISTRATORS, parse, type Call, type Route } from '../route.ts';

/** Asks a stand-in; a real installation has none. */
async function askAt(url: string | null, name: string, path: string, init: RequestInit): Promise<Response> {
  if (!url) throw new Refused('only-in-demo', `The ${name} is only there in the demo.`);
  let response: Response;
  try {
    response = await fetch(`${url}${path}`, {
      ...init,
      headers: { 'content-type': 'application/json' },
    });
  } catch (error) {
    throw new Refused(
      'out-of-order',
      `The ${name} does not answer: ${((error as Error).cause as Error | undefined)?.message ?? (error as Error).message}.`,
    );
  }
  if (!response.ok) throw new Refused('not-found', `The ${name} has no such thing, or not any more.`);
  return response;
}

const ask = ({ deps }: Call, path: string, init: RequestInit = {}): Promise<Response> =>
  askAt(deps.settings.postRoomUrl, 'post room', path, init);
const askChat = ({ deps }: Call, path: string, init: RequestInit = {}): Promise<Response> =>
  askAt(deps.settings.chatStandInUrl, 'chat room', path, init);

const idOf = (call: Call): string => encodeURIComponent(String(call.req.params['id']));

/** The demo's post room and chat, seen through Nudrik so that they share the sign-in. */
export const standinRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/post-room',
    access: ADMINISTRATORS,
    handle: async (call) => (await ask(call, `/mails?${new URLSearchParams(call.req.query as Record<string, string>)}`)).json(),
  },
  {
    method: 'get',
    path: '/api/post-room/mails/:id',
    access: ADMINISTRATORS,
    handle: async (call) => (await ask(call, `/mails/${idOf(call)}`)).json(),
  },
  {
    method: 'get',
    path: '/api/post-room/mails/:id/eml',
    access: ADMINISTRATORS,
    async handle(call) {
      const eml = Buffer.from(await (await ask(call, `/mails/${idOf(call)}/eml`)).arrayBuffer());
      headFile(call.res, `mail-${idOf(call)}.eml`, 'message/rfc822');
      call.res.end(eml);
      return undefined;
    },
  },
  {
    method: 'post',
    path: '/api/post-room/mails/:id/reply',
    access: ADMINISTRATORS,
    handle: async (call) =>
      (await ask(call, `/mails/${idOf(call)}/reply`, { method: 'POST', body: JSON.stringify(parse(PostRoomReply, call.req.body)) })).json(),
  },
  {
    method: 'put',
    path: '/api/post-room/behaviour',
    access: ADMINISTRATORS,
    handle: async (call) =>
      (await ask(call, '/behaviour', { method: 'PUT', body: JSON.stringify(parse(BehaviourChange, call.req.body)) })).json(),
  },
  {
    method: 'put',
    path: '/api/post-room/server',
    access: ADMINISTRATORS,
    async handle(call) {
      const answer: unknown = await (
        await ask(call, '/server', { method: 'PUT', body: JSON.stringify(parse(ServerChange, call.req.body)) })
      ).json();
      await announce(call.deps.db, 'post-room');
      return answer;
    },
  },
  {
    method: 'get',
    path: '/api/chat-room',
    access: ADMINISTRATORS,
    handle: async (call) => (await askChat(call, `/threads?${new URLSearchParams(call.req.query as Record<string, string>)}`)).json(),
  },
  {
    method: 'post',
    path: '/api/chat-room/replies',
    access: ADMINISTRATORS,
    handle: async (call) =>
      (await askChat(call, '/replies', { method: 'POST', body: JSON.stringify(parse(ChatRoomReply, call.req.body)) })).json(),
  },
  {
    method: 'put',
    path: '/api/chat-room/behaviour',
    access: ADMINISTRATORS,
    async handle(call) {
      const answer: unknown = await (
        await askChat(call, '/behaviour', { method: 'PUT', body: JSON.stringify(parse(ChatRoomChange, call.req.body)) })
      ).json();
      await announce(call.deps.db, 'post-room');
      return answer;
    },
  },
];
