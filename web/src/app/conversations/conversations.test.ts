import { describe, expect, it } from 'vitest';
import type { ArrivalRow, ConversationList, ConversationPost, ConversationRow, ConversationView } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { ArrivalsPage } from './arrivals.page.ts';
import { ConversationSheet } from './conversation-sheet.ts';
import { ConversationsPage } from './conversations.page.ts';

const row = (rest: Partial<ConversationRow> = {}): ConversationRow => ({
  id: '5', person: { id: '4', name: 'Runa Aske' }, course: { id: '2', title: 'Fire Teams Aboard' }, stepName: 'Two days to go', shownTo: null, subject: 'Two days to go', reader: 'Tora Hauge', isOpen: true,
  waitsSince: '2027-03-17T16:00:00Z', lastAt: '2027-03-17T16:00:00Z', lastAuthor: 'Runa Aske', words: 'Until Friday?', ...rest,
}); // prettier-ignore
const post = (rest: Partial<ConversationPost> = {}): ConversationPost => ({
  id: '11', at: '2027-03-17T16:00:00Z', side: 'person', author: 'Runa Aske', words: 'Until Friday?', whole: null, strangeAddress: null, byMail: true, byChat: false, shownTo: null, isOff: false, files: [], mail: null, ...rest,
}); // prettier-ignore
const view = (rest: Partial<ConversationView> = {}): ConversationView => ({
  ...row(), zone: 'Europe/Oslo', address: 'runa@orlasund.example', atUnit: null, mayBeShown: false, assignmentId: '12', noticeId: '41', reader: { id: '9', name: 'Tora Hauge' }, readers: [{ id: '8', name: 'Lorna Mackay' }],
  toldTo: 'tora@orlasund.example', cover: null, posts: [post()], ...rest,
}); // prettier-ignore
const list = (rows: ConversationRow[], rest: Partial<ConversationList> = {}): ConversationList => ({
  rows, hasMore: false, counts: { waiting: rows.length, open: rows.length, others: 0 }, isOn: true, ...rest,
}); // prettier-ignore
const COURSES = ['/api/courses', []] as const;

describe('replies', () => {
  const open = async (page: ConversationList, inputs: Record<string, string> = {}, query = 'show=open') => {
    const opened = await openPage(ConversationsPage, { inputs });
    await opened.answer(...COURSES);
    await opened.answer(`/api/conversations?${query}`, page);
    return opened;
  };
  it('say who waits, for what, and who takes care of it', async () => {
    const page = await open(
      list([row(), row({ id: '6', waitsSince: null, isOpen: false, reader: null, person: { id: '3', name: 'Per Moe' } })]),
    );
    expect(page.text()).toContain('2 open, 2 wait for an answer');
    const [, first, second] = page.getAllByRole('row').map((one) => textOf(one));
    expect(first).toMatch(/Runa Aske.*waits for an answer.*Until Friday\?.*Two days to go, Fire Teams Aboard.*Tora Hauge/);
    expect(second).toMatch(/Per Moe.*done.*the house/);
  });
  it('of one person are all shown', async () => {
    const page = await open(list([row()]), { person: '4' }, 'show=all&person=4');
    expect(page.getByRole('button', { name: 'everyone' })).toBeTruthy();
  });
  it('that go past Nudrik say how they would be kept', async () => {
    const page = await open(list([], { isOn: false }));
    expect(page.getByRole('link', { name: 'Name an address' }).getAttribute('href')).toBe('/settings');
  });
  it('of nobody say that nobody waits', async () => {
    expect((await open(list([]))).text()).toContain('Nobody waits, and nothing is open.');
  });
});

describe('a conversation', () => {
  const open = async (of: ConversationView, role: 'trainer' | 'auditor' = 'trainer') => {
    const page = await openPage(ConversationSheet, { inputs: { id: '5' }, role });
    await page.answer('/api/conversations/5', of);
    return page;
  };
  it('is answered by words that were seen to be the last; they stay where somebody wrote meanwhile', async () => {
    const page = await open(view({ posts: [post(), post({ id: '14', words: 'Or Monday?' })] }));
    const box = page.getByLabelText(/^Answer, by mail to runa@orlasund.example/) as HTMLTextAreaElement;
    await page.type(box, 'Friday is fine.');
    await page.click(page.getByRole('button', { name: 'Send the answer' }));
    const { body } = await page.refuse('/api/conversations/5/answers', { code: 'stale', message: 'Runa Aske wrote in the meantime.' });
    expect(body).toEqual({ words: 'Friday is fine.', seen: '14', isDone: false, files: [] });
    await page.answer('/api/conversations/5', view());
    expect(page.getByRole('alert').textContent).toBe('Runa Aske wrote in the meantime.');
    expect(box.value).toBe('Friday is fine.');
    await page.click(page.getByRole('button', { name: 'Send, and done' }));
    expect((await page.answer('/api/conversations/5/answers', view())).body).toMatchObject({ isDone: true });
  });
  it('has the files that were put to the answer before one went to another page', async () => {
    const page = await open(view());
    await page.answer('/api/conversations/5/files', [{ id: '9', name: 'form.pdf', bytes: 2_048 }]);
    expect(page.getByRole('list', { name: 'Files that go with it' }).textContent).toContain('form.pdf');
  });

  it('shows what a mail repeats on wish, from where it came, and its files', async () => {
    const page = await open(view({ posts: [post({ whole: 'Until Friday?\n> Hello', strangeAddress: 'x@elsewhere.example', files: [{ id: '77', name: 'proof.pdf', bytes: 2_000 }] })] })); // prettier-ignore
    expect(page.text()).not.toContain('> Hello');
    await page.click(page.getByRole('button', { name: 'with what it repeats' }));
    expect(page.text()).toContain('> Hello');
    expect(page.text()).toContain('From x@elsewhere.example, which is not the address of Runa Aske in the roster.');
    expect(page.getByRole('link', { name: 'proof.pdf' }).getAttribute('href')).toBe('/api/conversations/5/files/77');
  });
  it('says of an answer what became of it, and sends again what did not go', async () => {
    const failed = post({
      id: '12',
      side: 'house',
      author: 'Tora Hauge',
      mail: { state: 'failed', words: 'did not go to runa@orlasund.example: “550 no”' },
    });
    const page = await open(view({ posts: [post(), failed] }));
    expect(page.text()).toContain('did not go to runa@orlasund.example: “550 no”');
    await page.click(page.getByRole('button', { name: 'Send again what did not go' }));
    expect((await page.answer('/api/conversations/5/again', view())).method).toBe('POST');
  });
  it('is done and opened again by hand; an auditor reads alone', async () => {
    const page = await open(view());
    await page.click(page.getByRole('button', { name: 'Done without an answer' }));
    expect((await page.answer('/api/conversations/5/state', view())).body).toEqual({ isOpen: false });
    const auditor = await open(view({ isOpen: false, waitsSince: null }), 'auditor');
    expect(auditor.queryByRole('button', { name: 'Send the answer' })).toBeNull();
    expect(auditor.text()).toContain('Save as mbox');
  });
  it('that was asked on the page says where, and who reads the answer there: as the word that it answers, or as is chosen', async () => {
    const asked = { stepName: null, shownTo: 'course', mayBeShown: true, atUnit: 'Alarm signals' } as const;
    const own = post({ byMail: false, shownTo: 'course' });
    const page = await open(view({ ...asked, posts: [own] }));
    expect(page.text()).toContain('Asked on the page of Fire Teams Aboard, at “Alarm signals”');
    expect(page.text()).toContain('Everybody on the course reads it on its page.');
    const write = async (): Promise<unknown> => {
      await page.type(page.getByLabelText('Answer, by mail to runa@orlasund.example and on the page of the course') as HTMLTextAreaElement, 'Aft.'); // prettier-ignore
      await page.click(page.getByRole('button', { name: 'Send the answer' }));
      const { body } = await page.answer('/api/conversations/5/answers', view());
      await page.answer('/api/conversations/5', view({ ...asked, posts: [own, post({ id: '13', byMail: true })] }));
      return body;
    };
    expect(await write()).toMatchObject({ shownTo: 'course' });
    // what came by mail is answered to its writer alone
    expect(await write()).toMatchObject({ shownTo: 'person' });
    await page.choose(page.getByRole('combobox', { name: 'Who reads it on the page' }), 'everybody on the course');
    expect(await write()).toMatchObject({ shownTo: 'course' });
  });
  it('that was asked on the page is taken off it, as a whole or word by word', async () => {
    const page = await open(view({ shownTo: 'course', mayBeShown: true, posts: [post({ byMail: false, shownTo: 'course' })] }));
    await page.click(page.getByRole('button', { name: 'Take it off the page' }));
    expect((await page.answer('/api/conversations/5/posts/11/off', view())).body).toEqual({ isOff: true });
    await page.answer('/api/conversations/5', view({ shownTo: 'course', mayBeShown: true, posts: [post({ byMail: false, shownTo: 'course', isOff: true })] })); // prettier-ignore
    expect(page.text()).toContain('Taken off the page.');
    await page.click(page.getByRole('button', { name: 'Show it to Runa Aske alone' }));
    expect((await page.answer('/api/conversations/5/shown', view())).body).toEqual({ to: 'person' });
    // what was asked of one trainer alone is not offered to anybody else
    const own = await open(view({ shownTo: 'person', posts: [post({ byMail: false, shownTo: 'person' })] }));
    expect(own.text()).toContain('On the page only Runa Aske reads it.');
    expect(own.queryByRole('button', { name: /^Show it to/ })).toBeNull();
    expect(own.queryByRole('combobox', { name: 'Who reads it on the page' })).toBeNull();
  });
  it('with somebody without an address leads to giving them one', async () => {
    expect((await open(view({ address: null }))).getByRole('link', { name: 'Give them one' }).getAttribute('href')).toBe(
      '/people/4?mend=email',
    );
  });
});

describe('mail that answers nothing', () => {
  const arrival = (rest: Partial<ArrivalRow> = {}): ArrivalRow => ({ id: '3', at: '2027-03-17T16:00:00Z', kind: 'reply', from: 'Runa Aske <runa@orlasund.example>', subject: 'My boots', words: 'Where?', person: { id: '4', name: 'Runa Aske' }, noticeId: null, waits: true, seenWords: null, ...rest }); // prettier-ignore
  it('becomes a conversation with who wrote it, or was looked at', async () => {
    const page = await openPage(ArrivalsPage, {});
    await page.answer('/api/arrivals?show=waiting', { rows: [arrival(), arrival({ id: '2', kind: 'complaint' })], hasMore: false });
    expect(page.getAllByRole('button', { name: /^Begin a conversation/ })).toHaveLength(1);
    await page.click(page.getAllByRole('button', { name: 'Looked at, nothing follows' })[1]!);
    await page.answer('/api/arrivals/2/aside', { done: true });
    await page.answer('/api/arrivals?show=waiting', { rows: [arrival()], hasMore: false });
    await page.click(page.getByRole('button', { name: 'Begin a conversation with Runa Aske' }));
    expect((await page.answer('/api/arrivals/3/conversation', view())).body).toEqual({ person: '4' });
  });
  it('of a stranger asks whose word it is', async () => {
    const page = await openPage(ArrivalsPage, {});
    await page.answer('/api/arrivals?show=waiting', { rows: [arrival({ person: null, from: 'x@elsewhere.example' })], hasMore: false });
    await page.click(page.getByRole('button', { name: 'Begin a conversation …' }));
    expect(page.getByRole('combobox', { name: 'Whose word it is' })).toBeTruthy();
  });
});
