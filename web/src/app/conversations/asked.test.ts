import { describe, expect, it } from 'vitest';
import type { AskedQuestion, AskedView, AskedWord } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { Asked } from './asked.ts';

const word = (rest: Partial<AskedWord> = {}): AskedWord => ({
  id: '11', at: '2027-03-17T16:00:00Z', by: 'Runa Aske', isHouse: false, isMine: true, isOff: false, words: 'Does the old jacket do?', files: 0, ...rest,
}); // prettier-ignore
const question = (rest: Partial<AskedQuestion> = {}): AskedQuestion => ({
  id: '5', by: 'Runa Aske', isMine: true, isShared: false, atUnit: null, isDone: false, words: [word()], ...rest,
}); // prettier-ignore
const theirs = (id: string, words: string): AskedQuestion =>
  question({ id, by: 'Per Moe', isMine: false, isShared: true, words: [word({ id: `${id}1`, by: 'Per Moe', isMine: false, words })] });
const view = (rest: Partial<AskedView> = {}): AskedView => ({ asks: 'course', reader: 'Tora Hauge', hasMail: true, closed: null, mine: [], others: [], hasMore: false, ...rest }); // prettier-ignore
const AT = '/api/learning/abc/asked';

const open = async (of: AskedView, unit: { id: string; title: string } | null = null) => {
  const page = await openPage(Asked, { inputs: { token: 'abc', zone: 'Europe/Oslo', unit } });
  await page.answer(AT, of);
  return page;
};

describe('questions on the page of a course', () => {
  it('are asked of whoever reads them alone, unless one chooses otherwise, at the unit that is open', async () => {
    const page = await open(view(), { id: '7', title: 'Alarm signals' });
    expect(page.text()).toContain('The answer stands here, and comes by mail.');
    await page.click(page.getByRole('button', { name: 'Ask Tora Hauge' }));
    const box = page.getByLabelText('Your question at “Alarm signals”') as HTMLTextAreaElement;
    expect((page.getByRole('button', { name: /^Send to/ }) as HTMLButtonElement).disabled).toBe(true);
    await page.type(box, ' Seven short? ');
    await page.click(page.getByRole('button', { name: 'Send to Tora Hauge' }));
    const first = await page.refuse(AT, { code: 'out-of-order', message: 'Try again in a moment.' });
    expect(first.body).toMatchObject({ words: 'Seven short?', to: 'person', unit: '7' });
    expect(page.getByRole('alert').textContent).toBe('Try again in a moment.');
    await page.answer(AT, view(), 'GET');
    // the words stay, and what may have arrived the first time comes under the same key; what says something else under another
    await page.click(page.getByRole('button', { name: 'Send to Tora Hauge' }));
    expect((await page.refuse(AT, { code: 'out-of-order', message: 'Try again.' })).body).toEqual(first.body);
    await page.answer(AT, view(), 'GET');
    await page.click(page.getByLabelText(/^Everybody on this course/));
    await page.click(page.getByRole('button', { name: 'Send to Tora Hauge and everybody' }));
    const second = await page.answer(AT, view());
    expect(second.body).toMatchObject({ words: 'Seven short?', to: 'course' });
    expect((second.body as { key: string }).key).not.toBe((first.body as { key: string }).key);
    expect(page.getByRole('status').textContent).toBe('Sent to Tora Hauge. The answer stands here, and comes by mail.');
  });
  it('of one’s own are written on; where the course allows no more, or asks nothing of one, they are read', async () => {
    const answered = [word(), word({ id: '12', by: 'Tora Hauge', isHouse: true, isMine: false, words: 'No.', files: 1 })];
    const page = await open(view({ asks: 'trainer', mine: [question({ words: answered })] }));
    expect(page.text()).toMatch(/You asked Tora Hauge.*Does the old jacket do\?.*Tora Hauge.*No\..*One file went with it, by mail\./);
    await page.click(page.getByRole('button', { name: 'Write on' }));
    await page.type(page.getByLabelText('Write on, to Tora Hauge') as HTMLTextAreaElement, 'Why?');
    await page.click(page.getByRole('button', { name: 'Send it' }));
    expect((await page.answer(`${AT}/5/words`, view())).body).toMatchObject({ words: 'Why?', to: 'person' });
    const closed = await open(
      view({ asks: 'none', closed: 'The course takes no questions on its page.', mine: [question({ words: answered })] }),
    );
    expect(closed.text()).toContain('The course takes no questions on its page.');
    expect(closed.queryByRole('button', { name: /Ask|Write on/ })).toBeNull();
    expect(closed.text()).toContain('Does the old jacket do?');
  });
  it('of others are opened one by one, answered, and fetched further', async () => {
    const page = await open(view({ others: [theirs('8', 'Old masks or new ones?')], hasMore: true }));
    expect(page.text()).toMatch(/Old masks or new ones\?.*Per Moe, no answer yet/);
    await page.click(page.getByRole('button', { name: 'Answer Per Moe' }));
    await page.type(page.getByLabelText(/^Your answer; everybody on this course reads it/) as HTMLTextAreaElement, 'New ones.');
    await page.click(page.getByRole('button', { name: 'Send it' }));
    expect((await page.answer(`${AT}/8/words`, view())).body).toMatchObject({ words: 'New ones.', to: 'course' });
    await page.answer(AT, view({ others: [theirs('8', 'Old masks or new ones?')], hasMore: true }), 'GET');
    await page.click(page.getByRole('button', { name: 'Earlier questions' }));
    await page.answer(`${AT}?after=8`, view({ others: [theirs('6', 'Who has the radio?')] }));
    expect(page.text()).toMatch(/Old masks.*Who has the radio\?/);
    expect(page.queryByRole('button', { name: 'Earlier questions' })).toBeNull();
  });
  it('of one’s own that were taken off the page say so', async () => {
    const page = await open(view({ mine: [question({ isShared: true, words: [word({ isOff: true })] })] }));
    expect(page.text()).toContain('taken off the page: nobody else reads it here');
  });
});
