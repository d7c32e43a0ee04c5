import { expect, it } from 'vitest';
import type { ChatRoomView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { PlanTold } from '../plans/plan-told.ts';
import { ChatRoomPage } from './chat-room.page.ts';

const word = {
  id: 'message-1',
  from: 'Safety training',
  isBack: false,
  subject: 'Yours to finish',
  text: 'Hello Runa,\nopen it.',
  at: '2027-03-01T09:00:00Z',
};
const VIEW: ChatRoomView = {
  isUp: true,
  unknown: ['per.aske'],
  threads: [{ key: '@runa.aske', name: 'runa.aske', isChannel: false, words: 1, last: word }],
  open: { key: '@runa.aske', name: 'runa.aske', isChannel: false, words: [word] },
};

it('shows what was said, lets somebody write back, and misbehaves on wish', async () => {
  const page = await openPage(ChatRoomPage, { inputs: { thread: '@runa.aske' }, role: 'administrator' });
  await page.answer('/api/chat-room?thread=@runa.aske', VIEW);
  expect(page.getByRole('row', { name: /runa\.aske Yours to finish 1$/ })).toBeTruthy();
  await page.type(page.getByLabelText('Write back as runa.aske'), 'Until Friday?');
  await page.click(page.getByRole('button', { name: 'Send it' }));
  expect((await page.answer('/api/chat-room/replies', { response: 'taken' })).body).toEqual({
    thread: '@runa.aske',
    words: 'Until Friday?',
  });
  await page.answer('/api/chat-room?thread=@runa.aske', VIEW);
  expect(page.getByRole('status').textContent).toBe('Nudrik said: “taken”');
  await page.click(page.getByRole('button', { name: 'Know per.aske again' }));
  expect((await page.answer('/api/chat-room/behaviour', {})).body).toEqual({ name: { name: 'per.aske', isKnown: true } });
  await page.answer('/api/chat-room?thread=@runa.aske', { ...VIEW, unknown: [] });
  await page.click(page.getByRole('button', { name: 'Take the chat down' }));
  expect((await page.answer('/api/chat-room/behaviour', {})).body).toEqual({ isUp: false });
  await page.answer('/api/chat-room?thread=@runa.aske', { ...VIEW, isUp: false });
  expect(page.getByRole('button', { name: 'Bring it up' })).toBeTruthy();
});

it('a course says where it tells who finished; where somebody set it meanwhile that is said', async () => {
  const plan = { course: { id: '7', title: 'Fire Teams Aboard' }, chat: { toldIn: null } } as never;
  const page = await openPage(PlanTold, { inputs: { plan, canChange: true } });
  expect(page.getByText('The chat is not told who finishes.')).toBeTruthy();
  await page.click(page.getByRole('button', { name: 'Change where …' }));
  await page.type(page.getByLabelText('Channel'), '#drills');
  await page.click(page.getByRole('button', { name: 'Keep it' }));
  expect((await page.refuse('/api/plans/7/told-in', { code: 'stale', message: 'Somebody set it meanwhile.' })).body).toEqual({
    toldIn: '#drills',
    was: null,
  });
  expect(page.getByRole('alert').textContent).toBe('Somebody set it meanwhile.');
  expect((page.getByLabelText('Channel') as HTMLInputElement).value).toBe('#drills');
});
