import { afterEach, describe, expect, it, vi } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { RunningOutPage } from './running-out.page.ts';
import { VerifyPage } from './verify.page.ts';

const VIEW = {
  departments: [
    { id: '3', name: 'Deck', in30: 1, in60: 2, in90: 2, unasked: 1 },
    { id: '4', name: 'Office', in30: 0, in60: 0, in90: 1, unasked: 0 },
  ],
  courses: [{ id: '7', title: 'Fire Teams Aboard' }],
  rows: [
    {
      person: { id: '1', name: 'Runa Aske' },
      department: 'Deck',
      course: { id: '7', title: 'Fire Teams Aboard' },
      until: '2027-03-20',
      serial: '7F3K-9QWD-X',
      again: null,
      renewedBy: null,
    },
    {
      person: { id: '2', name: 'Per Aske' },
      department: 'Deck',
      course: { id: '7', title: 'Fire Teams Aboard' },
      until: '2027-04-20',
      serial: null,
      renewedBy: { id: '5', name: 'Fire teams', on: '2027-03-21' },
      again: { assignmentId: '9', dueAt: '2027-04-01T15:00:00Z' },
    },
  ],
  total: 2,
};

it('counts by department, and each number leads to its list', async () => {
  const page = await openPage(RunningOutPage, { inputs: { asked: 'no' } });
  await page.answer('/api/certificates/running-out?asked=no&page=0&size=60', VIEW);
  expect(page.getByRole('row', { name: 'Everybody 1 2 3 1' })).toBeTruthy();
  expect(page.getByRole('link', { name: 'Assign Fire Teams Aboard to Runa Aske again' }).getAttribute('href')).toBe(
    '/assign?people=1&course=7',
  );
  expect(page.getByRole('row', { name: /Per Aske/ }).textContent).toContain('recorded');
  await page.click(page.getByRole('button', { name: 'Deck, in 30 days: 1' }));
  expect(page.router.url).toBe('/?within=30&department=3');
});

describe('a certificate’s file', () => {
  const choose = (page: { root: HTMLElement }): void => {
    const field = page.root.querySelector<HTMLInputElement>('input[type=file]')!;
    const file = new File(['abc'], 'mine.pdf', { type: 'application/pdf' });
    Object.defineProperty(file, 'arrayBuffer', { value: () => Promise.resolve(new ArrayBuffer(3)) });
    Object.defineProperty(field, 'files', { value: [file] });
    field.dispatchEvent(new Event('change'));
  };
  afterEach(() => vi.unstubAllGlobals());

  it('is looked at here, and only its digest is asked about', async () => {
    vi.stubGlobal('crypto', { ...crypto, subtle: { digest: () => Promise.resolve(Uint8Array.from({ length: 32 }, (_, i) => i).buffer) } });
    const page = await openPage(VerifyPage);
    choose(page);
    await page.answer('/api/verify/file/000102030405060708090a0b0c0d0e0f101112131415161718191a1b1c1d1e1f', { answer: 'unknown', serial: '', reason: 'It was changed.' }); // prettier-ignore
    expect(page.getByRole('status').textContent).toContain('mine.pdf');
    expect(page.getByRole('status').textContent).toContain('It was changed.');
  });

  it('is not looked at where a browser keeps that to safe pages: it says so', async () => {
    vi.stubGlobal('crypto', { ...crypto, subtle: undefined });
    const page = await openPage(VerifyPage);
    choose(page);
    await page.settle();
    expect(page.getByRole('alert').textContent).toContain('Type the serial instead.');
  });
});
