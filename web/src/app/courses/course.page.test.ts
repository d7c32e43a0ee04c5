import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { DraftSaved, DraftView } from '@nudrik/contract';
import { ViewContainerRef } from '@angular/core';
import { openPage, textOf, type OpenedPage } from '../../testing/page.ts';
import { CoursePage } from './course.page.ts';
import { OutlineTab } from './outline.tab.ts';

const unit = (id: string, title: string, rest: object = {}) => ({
  id,
  kind: 'page' as const,
  title,
  required: true,
  weight: 1,
  release: null,
  body: '',
  url: null,
  fileId: null,
  file: null,
  ...rest,
});
const DRAFT: DraftView = {
  content: { title: 'Safe Lifting', code: 'YRD-02', summary: 'Slings.', ownerId: null, assistants: [], validity: { count: 12, unit: 'months', toMonthEnd: false }, certificateDesignId: null, certificate: 'issued', asks: 'none', finish: { kind: 'all' }, sections: [{ id: '1', title: 'One', units: [unit('11', 'Slings'), unit('12', 'Hooks')] }] },
  owner: null, people: [], state: 'live', version: 4, savedAt: null, savedBy: null, faults: [], others: [],
}; // prettier-ignore
const saved = (rest: Partial<DraftSaved> = {}): DraftSaved => ({
  version: 5,
  savedAt: '2027-03-01T09:42:00Z',
  ids: {},
  faults: [],
  ...rest,
});

/** The page, and beside it the outline that works on the same course. */
const open = async (draft = DRAFT): Promise<OpenedPage<CoursePage> & { outline: HTMLElement }> => {
  const page = await openPage(CoursePage, { inputs: { course: '7' } });
  await page.answer('/api/courses/7/draft', draft);
  const made = page.fixture.componentRef.injector
    .get(ViewContainerRef)
    .createComponent(OutlineTab, { injector: page.fixture.componentRef.injector });
  page.root.append(made.location.nativeElement as HTMLElement);
  await page.settle();
  return { ...page, outline: made.location.nativeElement as HTMLElement };
};
const lines = (page: { root: HTMLElement }) => [...page.root.querySelectorAll<HTMLInputElement>('[data-line]')].map(({ value }) => value);
const press = async (page: OpenedPage<unknown>, element: Element, key: string, rest: KeyboardEventInit = {}) => {
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...rest }));
  await page.settle();
};
const save = (page: OpenedPage<unknown>, answer: DraftSaved = saved()) => page.answer('/api/courses/7/draft', answer, 'PUT');

beforeEach(() => {
  localStorage.clear();
});
afterEach(() => vi.useRealTimers());

describe('a course while it is written', () => {
  it('is kept as it is typed, and says when', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Title') as HTMLElement, 'Lifting');
    expect(page.text()).toContain('saving …');
    const { body } = await save(page);
    expect(body).toMatchObject({ version: 4, content: { title: 'Lifting' } });
    expect(page.text()).toContain('saved 10:42');
    expect(localStorage.length).toBe(0);
    expect(page.getByRole('link', { name: 'Publish …' })).toBeTruthy();
  });

  it('goes on by keys: a new line, its kind, up and down, a section of it, and away', async () => {
    const page = await open();
    await press(page, page.getByLabelText('Unit 2 of One'), 'Enter');
    expect(lines(page)).toEqual(['One', 'Slings', 'Hooks', '']);
    await page.type(page.getByLabelText('Unit 3 of One'), 'link: Rules');
    await press(page, page.getByLabelText('Unit 3 of One'), 'Enter');
    expect(lines(page)).toEqual(['One', 'Slings', 'Hooks', 'Rules', '']);
    expect(textOf(page.getByLabelText('Unit 3 of One').closest('.line')!)).toContain('link');
    await press(page, page.getByLabelText('Unit 4 of One'), 'Tab', { shiftKey: true });
    await page.type(page.getByLabelText('Title of section 2'), 'Afterwards');
    await press(page, page.getByLabelText('Unit 1 of One'), 'ArrowDown', { altKey: true });
    expect(lines(page)).toEqual(['One', 'Hooks', 'Slings', 'Rules', 'Afterwards']);
    await press(page, page.getByLabelText('Title of section 2'), 'Enter');
    await press(page, page.getByLabelText('Unit 1 of Afterwards'), 'Backspace');
    expect(lines(page)).toEqual(['One', 'Hooks', 'Slings', 'Rules', 'Afterwards']);
    const { body } = await save(page);
    const sent = (body as { content: DraftView['content'] }).content.sections;
    expect(sent.map(({ title, units }) => [title, units.map(({ title: of, kind }) => `${kind} ${of}`)])).toEqual([['One', ['page Hooks', 'page Slings', 'link Rules']], ['Afterwards', []]]); // prettier-ignore
    expect(sent[0]!.units[2]!.id).toMatch(/^new-/);
  });

  it('takes back and does again what was done, whatever ids it was given meanwhile', async () => {
    const page = await open();
    await press(page, page.getByLabelText('Unit 1 of One'), 'Enter');
    await page.type(page.getByLabelText('Unit 2 of One'), 'Chains');
    const { body } = await save(page);
    const made = (body as { content: DraftView['content'] }).content.sections[0]!.units[1]!.id;
    await page.settle();
    await page.click(page.getByRole('button', { name: 'Undo' }));
    await page.click(page.getByRole('button', { name: 'Undo' }));
    expect(lines(page)).toEqual(['One', 'Slings', 'Hooks']);
    await page.click(page.getByRole('button', { name: 'Redo' }));
    await page.click(page.getByRole('button', { name: 'Redo' }));
    expect(lines(page)).toEqual(['One', 'Slings', 'Chains', 'Hooks']);
    expect(made).toMatch(/^new-/);
  });

  it('stays where it is while the server does not answer, and comes again as the same save', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Title') as HTMLElement, 'Lifting');
    const first = await page.refuse('/api/courses/7/draft', null, 503);
    expect(page.text()).toContain('not saved: the server does not answer; it is tried again');
    expect(JSON.parse(localStorage.getItem('nudrik.work.course/7')!).draft.title).toBe('Lifting');
    await vi.waitFor(() => expect(page.waiting()).toContain('PUT /api/courses/7/draft'), { timeout: 6_000, interval: 50 });
    const again = await save(page);
    expect((again.body as { save: string }).save).toBe((first.body as { save: string }).save);
    expect(page.text()).toContain('saved 10:42');
  });

  it('stands beside what somebody else kept meanwhile; one of the two is chosen', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Title') as HTMLElement, 'Lifting');
    await page.refuse('/api/courses/7/draft', { code: 'stale', message: 'Version 5 was saved by Tora Hauge.' });
    await page.answer('/api/courses/7/draft', { ...DRAFT, version: 5, content: { ...DRAFT.content, summary: 'Slings and hooks.' } }, 'GET');
    const table = page.getByRole('table', { name: 'The two versions' });
    expect(textOf(table)).toContain('Title Lifting Safe Lifting');
    expect(textOf(table)).toContain('Summary Slings. Slings and hooks.');
    await page.click(page.getByRole('button', { name: 'Go on with mine' }));
    expect((await save(page, saved({ version: 6 }))).body).toMatchObject({ version: 5, content: { title: 'Lifting', summary: 'Slings.' } });
  });

  it('tells who else is in it, and shows what they kept where nothing of mine waits', async () => {
    const page = await open({ ...DRAFT, others: [{ name: 'Tora Hauge', since: '2027-03-01T09:40:00Z' }] });
    expect(page.text()).toContain('Tora Hauge is writing here too, since 10:40.');
    await page.announce('courses');
    await page.answer('/api/courses/7/here', { version: 5, others: [] });
    await page.answer('/api/courses/7/draft', { ...DRAFT, version: 5, content: { ...DRAFT.content, title: 'Lifting by Tora' } });
    expect((page.getByLabelText('Title') as HTMLInputElement).value).toBe('Lifting by Tora');
    expect(page.text()).not.toContain('is writing here too');
  });

  it('that is retired is read and not written', async () => {
    const page = await open({ ...DRAFT, state: 'retired' });
    expect((page.getByLabelText('Title') as HTMLInputElement).disabled).toBe(true);
    expect(page.queryByRole('button', { name: 'Add a section' })).toBeNull();
  });
});
