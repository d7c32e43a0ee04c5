import { beforeEach, expect, test, vi } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { LookedPage } from './looked.page.ts';
import { PacksPage } from './packs.page.ts';
import { SamplePage } from './sample.page.ts';

const clicked: string[] = [];
beforeEach(() => {
  clicked.length = 0;
  vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
    clicked.push(this.getAttribute('href') ?? '');
  });
});

const COURSES = [{ id: '7', title: 'Fire Teams Aboard', state: 'live' }, { id: '8', title: 'Unfinished', state: 'draft' }]; // prettier-ignore
const PREVIEW = { title: 'Fire Teams Aboard', when: 'from the beginning to the end of 1 Mar 2026', people: 1, assignments: 4, notices: 12, messages: 10, certificates: 2, signOffs: 0, acts: 1, fault: null }; // prettier-ignore
const MADE = { href: '/api/jobs/3/file', name: 'Evidence, Fire Teams Aboard, 2026-03-01.zip', manifest: 'ab'.repeat(32), files: 30, bytes: 120_000 }; // prettier-ignore
const PACKS = { key: 'IWGcZKxje3', packs: [{ id: '1', at: '2026-05-06T06:50:00.000Z', byWhom: 'Sigrid Aune', title: 'Runa Aske', when: 'from the beginning', files: 32, bytes: 125_980, manifest: 'cd'.repeat(32), href: null }] }; // prettier-ignore

async function packs(inputs: Record<string, string>) {
  const page = await openPage(PacksPage, { inputs, role: 'auditor' });
  await page.answer('/api/evidence/packs', PACKS);
  await page.answer('/api/courses', COURSES);
  await page.answer('/api/requirements', []);
  return page;
}

test('what would be in a pack is seen before it is made; made, it comes down by itself', async () => {
  const page = await packs({ of: 'course', id: '7', to: '2026-03-01' });
  const asked = { of: { kind: 'course', id: '7' }, from: null, to: '2026-03-01', withMessages: true };
  expect((await page.answer('/api/evidence/preview', PREVIEW)).body).toEqual(asked);
  const would = page.getByTestId('would').textContent!;
  for (const words of ['1 person', '4 assignments', '10 messages', '2 certificates', '0 sign-offs', '1 act by hand'])
    expect(would).toContain(words);
  expect(page.text()).toContain('not kept any more');
  await page.click(page.getByRole('button', { name: 'Make the pack' }));
  expect((await page.answer('/api/evidence/packs', MADE)).body).toEqual(asked);
  expect(clicked).toEqual(['/api/jobs/3/file']);
  expect(page.getByRole('status').textContent).toContain('is made: 30 files');
});

test('what holds nothing, or too much, says so and cannot be made; a refusal is told', async () => {
  const page = await packs({ of: 'person', id: '9', bare: 'yes' });
  expect((await page.answer('/api/evidence/preview', { ...PREVIEW, fault: 'It has 30,000 messages; 20,000 are the most in one pack.' })).body).toMatchObject({ withMessages: false }); // prettier-ignore
  expect(page.text()).toContain('20,000 are the most');
  expect((page.getByRole('button', { name: 'Make the pack' }) as HTMLButtonElement).disabled).toBe(true);
  const other = await packs({ of: 'course', id: '7', to: '2030-01-01' });
  await other.refuse('/api/evidence/preview', { code: 'wrong-input', message: '1 Jan 2030 has not come yet' }, 400);
  expect(other.getByRole('alert').textContent).toContain('has not come yet');
  // without anything to be about nothing is asked
  const empty = await packs({ of: 'period' });
  expect(empty.text()).toContain('Say from which day on.');
});

test('a sample is drawn by its address, and its pack has exactly these people', async () => {
  const inputs = { from: '2026-03-01', to: '2026-03-31', seed: '7', size: '2' };
  const page = await openPage(SamplePage, { inputs, role: 'auditor' });
  await page.answer('/api/courses', COURSES);
  await page.answer('/api/requirements', [{ id: '1', name: 'Muster' }]);
  const row = (id: string, name: string, late: number) => ({ person: { id, name }, department: 'Deck', site: 'Orla Quay', required: 3, finished: 3 - late, late, open: 0 }); // prettier-ignore
  await page.answer('/api/evidence/sample?from=2026-03-01&to=2026-03-31&size=2&seed=7', { words: '2 people …', of: 207, print: '77910c2bd4ab3104ff', rows: [row('4', 'Elin Reith', 0), row('5', 'Isak Brekke', 1)] }); // prettier-ignore
  expect(page.text()).toContain('2 of 207 people');
  expect(page.text()).toContain('77910c2bd4ab3104');
  await page.click(page.getByRole('button', { name: 'Make the pack of these 2' }));
  const { body } = await page.answer('/api/evidence/packs', MADE);
  expect(body).toEqual({ of: { kind: 'sample', sample: { from: '2026-03-01', to: '2026-03-31', size: 2, seed: '7', known: 'then' } }, from: null, to: null, withMessages: true }); // prettier-ignore
  expect(clicked).toEqual(['/api/jobs/3/file']);
});

test('an auditor sees what they looked at and took, an administrator whose it is', async () => {
  const row = { id: '1', byWhom: 'Elias Brekke', what: 'took', words: 'Matrix, 2026-05-06.xlsx', firstAt: '2026-05-06T06:50:00.000Z', lastAt: '2026-05-06T06:50:00.000Z', times: 1 }; // prettier-ignore
  const own = await openPage(LookedPage, { role: 'auditor' });
  await own.answer('/api/evidence/looked', { rows: [row, { ...row, id: '2', what: 'looked', words: 'Runa Aske', times: 3 }], further: '5~1', whose: ['Elias Brekke'] }); // prettier-ignore
  expect(own.text()).toContain('What you looked at');
  expect(own.text()).toContain('took Matrix, 2026-05-06.xlsx');
  expect(own.queryByRole('combobox', { name: 'Of whom' })).toBeNull();
  expect(own.getByRole('link', { name: 'Earlier' }).getAttribute('href')).toContain('before=5~1');
  const all = await openPage(LookedPage, { inputs: { what: 'took' } });
  await all.answer('/api/evidence/looked?what=took', { rows: [], further: null, whose: ['Elias Brekke'] });
  expect(all.getByRole('combobox', { name: 'Of whom' })).toBeDefined();
  expect(all.text()).toContain('Nothing fits.');
});
