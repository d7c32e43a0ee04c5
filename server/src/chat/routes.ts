import { ChatReply } from '@nudrik/contract';
import { takeChatReply } from '../conversations/replies.ts';
import { Refused } from '../refusal.ts';
import { bytesOf, DONE, parse, type Route } from '../route.ts';
import { callFault } from './webhook.ts';

/** Where the chat tells what people write back. Who calls is known by a signature, and by nothing else. */
export const chatRoutes: Route[] = [
  {
    method: 'post',
    path: '/api/chat/replies',
    access: 'public',
    takes: 'file',
    async handle(call) {
      const { chat } = call.deps.settings;
      if (!chat) throw new Refused('not-found', 'There is no chat here that replies could come from.');
      const body = bytesOf(call).toString('utf8');
      const fault = callFault(chat.secret, call.req.headers, body);
      if (fault) throw new Refused('not-allowed', `The call is not taken: ${fault}.`);
      let said: unknown;
      try {
        said = JSON.parse(body);
      } catch {
        throw new Refused('wrong-input', 'The call is not JSON. Nothing was taken.');
      }
      await takeChatReply(call.deps, String(call.req.headers['webhook-id']), parse(ChatReply, said));
      return DONE;
    },
  },
];
