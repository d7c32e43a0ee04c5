import {
  AnswerDraft,
  AnswerFileQuery,
  ArrivalsQuery,
  ArrivalTaken,
  ConversationReader,
  ConversationShown,
  ConversationsQuery,
  ConversationState,
  Id,
  PostOff,
} from '@nudrik/contract';
import { headFile, sendFile } from '../answer-file.ts';
import { maybeRow } from '../db/db.ts';
import { findFile } from '../files/files.repo.ts';
import { getHouse } from '../house/house.ts';
import { Refused } from '../refusal.ts';
import { bytesOf, DONE, EDITORS, get, idOf, parse, type Call, type Route } from '../route.ts';
import {
  answer,
  arrivalList,
  conversationList,
  conversationView,
  giveTo,
  sendAgain,
  setAside,
  setOpen,
  showTo,
  takeArrival,
  takeOff,
} from './conversations.ts';
import { dropAnswerFile, listAnswerFiles, putAnswerFile } from './answer-files.ts';
import { writeConversation } from './conversation.export.ts';

/** Changing, for trainers too: they answer. */
const edit = (method: 'post' | 'put' | 'delete', path: string, handle: (call: Call) => Promise<unknown>): Route => ({
  method,
  path,
  access: EDITORS,
  handle,
});

const FIND_FILE = `
select k.file_id as id
from conversation_files k
join conversation_posts t on t.id = k.post_id
where t.conversation_id = $1::bigint
  and k.file_id = $2::bigint
`;

export const conversationRoutes: Route[] = [
  get('/api/conversations', ({ deps, req }) => conversationList(deps, parse(ConversationsQuery, req.query))),
  get('/api/conversations/:id', (call) => conversationView(call.deps, idOf(call))),
  get('/api/conversations/:id/mbox', async (call) => {
    const { deps, res } = call;
    const view = await conversationView(deps, idOf(call));
    headFile(res, `${view.person.name}, ${view.subject.slice(0, 80)}.mbox`, 'application/mbox');
    res.end(await writeConversation(deps.db, await getHouse(deps.db), view));
    return undefined;
  }),
  get('/api/conversations/:id/files/:file', async (call) => {
    const { deps, req, res } = call;
    const found = await maybeRow<{ id: string }>(deps.db, FIND_FILE, [idOf(call), parse(Id, req.params['file'])]);
    const file = found && (await findFile(deps.db, found.id, ['letter']));
    if (!file) throw new Refused('not-found', 'There is no such file, or not any more.');
    // whatever it is, it came from outside: it is saved, and never shown in place
    sendFile(res, { ...file, type: 'application/octet-stream' });
    return undefined;
  }),
  edit('post', '/api/conversations/:id/answers', (call) =>
    answer(call.deps, idOf(call), parse(AnswerDraft, call.req.body), call.account!.name, call.account!.id),
  ),
  {
    ...edit('post', '/api/conversations/:id/files', (call) => putAnswerFile(call.deps, idOf(call), call.account!, { name: parse(AnswerFileQuery, call.req.query).name, content: bytesOf(call) })), // prettier-ignore
    takes: 'file',
  },
  { ...get('/api/conversations/:id/files', (call) => listAnswerFiles(call.deps.db, idOf(call), call.account!.id)), access: EDITORS },
  edit('delete', '/api/conversations/:id/files/:file', async (call) => {
    await dropAnswerFile(call.deps.db, idOf(call), call.account!.id, parse(Id, call.req.params['file']));
    return DONE;
  }),
  edit('put', '/api/conversations/:id/state', (call) => setOpen(call.deps, idOf(call), parse(ConversationState, call.req.body).isOpen, call.account!.name)), // prettier-ignore
  edit('put', '/api/conversations/:id/reader', (call) => giveTo(call.deps, idOf(call), parse(ConversationReader, call.req.body).reader, call.account!.name)), // prettier-ignore
  edit('put', '/api/conversations/:id/shown', (call) => showTo(call.deps, idOf(call), parse(ConversationShown, call.req.body).to, call.account!.name)), // prettier-ignore
  edit('put', '/api/conversations/:id/posts/:post/off', (call) => takeOff(call.deps, idOf(call), parse(Id, call.req.params['post']), parse(PostOff, call.req.body).isOff, call.account!.name)), // prettier-ignore
  edit('post', '/api/conversations/:id/again', (call) => sendAgain(call.deps, idOf(call))),
  get('/api/arrivals', ({ deps, req }) => {
    const { show, after } = parse(ArrivalsQuery, req.query);
    return arrivalList(deps, show, after ?? null);
  }),
  edit('post', '/api/arrivals/:id/aside', async (call) => {
    await setAside(call.deps, idOf(call), call.account!.name);
    return DONE;
  }),
  edit('post', '/api/arrivals/:id/conversation', (call) => takeArrival(call.deps, idOf(call), parse(ArrivalTaken, call.req.body).person, call.account!.name)), // prettier-ignore
];
