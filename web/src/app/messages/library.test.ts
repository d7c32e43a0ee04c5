import { describe, expect, it } from 'vitest';
import type { LibraryMessage } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { LibraryPage } from './library.page.ts';
import { holdsWords, textsOf } from './library.ts';

const use = (course: string, name: string, body: string, rest: { on?: boolean; next28?: number } = {}): LibraryMessage => ({
  course: { id: course, title: `Course ${course}` },
  step: { id: name.toLowerCase(), name, kind: 'reminder', on: rest.on ?? true },
  message: { subject: '{course} is due', body, button: null },
  next28: rest.next28 ?? 1,
  isFollowing: false,
});
const LIST = [use('1', 'Soon', 'Hello.'), use('1', 'Late', 'You are late.', { on: false, next28: 0 }), use('2', 'Soon', 'Hello.', { on: false, next28: 4 }), use('3', 'In two days', 'Hello.')]; // prettier-ignore

describe('the library of messages', () => {
  it('takes steps that say the same for one text, whatever they are called', () => {
    expect(textsOf(LIST).map(({ key, uses, next28, isOn }) => [key, uses.length, next28, isOn])).toEqual([['1/soon', 3, 6, true], ['1/late', 1, 0, false]]); // prettier-ignore
    expect(textsOf([])).toEqual([]);
  });

  it.each([
    ['course 3 days', [true, false]],
    ['LATE', [false, true]],
    ['due', [true, true]],
    ['hello late', [false, false]],
  ])('finds “%s” in texts, steps and courses', (words, expected) =>
    expect(textsOf(LIST).map((text) => holdsWords(text, words))).toEqual(expected),
  );

  const open = async (inputs: object) => {
    const page = await openPage(LibraryPage, { inputs });
    await page.answer('/api/messages', LIST);
    return page;
  };

  it('says by whom a text is used and where it is switched off', async () => {
    const page = await open({});
    const rows = [...page.root.querySelectorAll('tbody tr')].map((row) => row.textContent!.replace(/\s+/g, ' '));
    expect(rows[0]).toMatch(/Soon, In two days.*switched off in 1 of 3.*Course 1 and 2 other courses.*6/);
    expect(rows[1]).toMatch(/Late.*switched off.*Course 1/);
  });

  it('opens one with its courses and with what it said before', async () => {
    const page = await open({ course: '2', step: 'soon' });
    await page.answer('/api/messages/2/soon/versions', [
      { version: 4, publishedAt: '2027-02-01T09:00:00Z', publishedBy: 'Tora Hauge', note: 'Shorter', message: LIST[2]!.message },
      {
        version: 1,
        publishedAt: '2027-01-01T09:00:00Z',
        publishedBy: null,
        note: null,
        message: { ...LIST[2]!.message, body: 'Good morning.' },
      },
    ]);
    const sheet = page.getByRole('complementary', { name: 'The message' }).textContent!.replace(/\s+/g, ' ');
    expect(sheet).toMatch(/Course 1, Soon.*Course 2, Soon.*off.*Course 3, In two days/);
    expect(sheet).toMatch(/As now, since version 4, .* by Tora Hauge: Shorter.*From version 1,.*Good morning\./);
  });

  it('filters, and says so where nothing is left', async () => {
    const page = await open({ show: 'off', find: 'nowhere' });
    expect(page.root.textContent).toContain('No text has that.');
  });
});
