import { beforeEach, describe, expect, it } from 'vitest';
import { ViewContainerRef } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import type { DraftView, LiveView, PublishPreview } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { CoursePage } from './course.page.ts';
import { CourseStore } from './course.store.ts';
import { CourseUploads } from './course-uploads.ts';
import { LiveTab } from './live.tab.ts';
import { ReleaseTab } from './release.tab.ts';

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
  quiz: null,
  ...rest,
});
const DRAFT: DraftView = {
  content: { title: 'Safe Lifting', code: null, summary: null, ownerId: null, assistants: [], validity: { count: 12, unit: 'months', toMonthEnd: false }, certificateDesignId: null, certificate: 'issued', asks: 'none', finish: { kind: 'all' }, sections: [{ id: '1', title: 'One', units: [unit('11', 'Slings'), unit('12', 'Hooks'), unit('13', 'Chains', { kind: 'quiz' })] }] },
  owner: null, people: [], state: 'live', version: 4, savedAt: '2027-03-01T09:00:00Z', savedBy: 'Tora', faults: [], others: [],
}; // prettier-ignore
const SEEN = { person: { id: '3', name: 'Kari Aske', zone: 'Europe/London' }, assignedAt: '2027-03-01T09:30:00Z', isAssigned: true, units: [{ id: '11', words: 'at once' }, { id: '12', words: 'Mon 8 Mar 08:00' }] }; // prettier-ignore

const open = async <T>(
  component: new () => T,
  draft: DraftView,
  inputs: Record<string, string> = {},
  role: 'administrator' | 'trainer' = 'administrator',
) => {
  const page = await openPage(component as never, { providers: [CourseStore, CourseUploads], inputs, role });
  TestBed.inject(CourseStore).open('7');
  await page.answer('/api/courses/7/draft', draft);
  return page;
};
beforeEach(() => localStorage.clear());

describe('going live', () => {
  const LIVE: LiveView = {
    state: 'draft', version: 4, requirements: [],
    checks: [
      { key: 'a', isMet: false, isNeeded: true, words: 'Nobody decided whether finishing is certified.', act: { label: 'Decide', link: '/courses/7', params: { field: 'certificate' } } },
      { key: 'b', isMet: false, isNeeded: false, words: 'Nobody is asked for it yet.', act: null },
      { key: 'c', isMet: true, isNeeded: true, words: 'Nothing is missing in it.', act: null },
    ],
  }; // prettier-ignore
  it('says what is missing and leads there; nobody goes live before', async () => {
    const page = await open(LiveTab, { ...DRAFT, state: 'draft', savedAt: null });
    await page.answer('/api/courses/7/live', LIVE);
    expect(page.getByRole('heading', { name: 'One thing is missing' })).toBeTruthy();
    expect(page.getAllByRole('row').map(textOf)).toEqual(['missing Nobody decided whether finishing is certified. Decide', 'to know Nobody is asked for it yet.', 'there Nothing is missing in it.']); // prettier-ignore
    expect((page.getByRole('button', { name: 'Go live' }) as HTMLButtonElement).disabled).toBe(true);
    expect(page.getByRole('link', { name: 'Decide' }).getAttribute('href')).toBe('/courses/7?field=certificate');
  });
  it('is an administrator’s act; a trainer is told so', async () => {
    const page = await open(LiveTab, { ...DRAFT, state: 'draft', savedAt: null }, {}, 'trainer');
    await page.answer('/api/courses/7/live', { ...LIVE, checks: [LIVE.checks[2]!] });
    expect(page.text()).toContain('It can go live');
    expect(page.text()).toContain('An administrator lets it go live.');
    expect(page.queryByRole('button', { name: 'Go live' })).toBeNull();
  });
  it('goes live with the version that was looked at, and says what that did', async () => {
    const page = await open(LiveTab, { ...DRAFT, state: 'draft', savedAt: null });
    await page.answer('/api/courses/7/live', { ...LIVE, checks: [LIVE.checks[2]!] });
    await page.click(page.getByRole('button', { name: 'Go live' }));
    expect((await page.answer('/api/courses/7/live', { requirements: [{ name: 'Deck', assigned: 12 }] }, 'POST')).body).toEqual({
      version: 4,
    });
    expect(page.text()).toContain('It is live. “Deck” assigned it to 12.');
  });
});

describe('publishing', () => {
  const PREVIEW: PublishPreview = {
    version: 4, faults: [], changes: ['“Chains” is new.'], underWay: 12, more: 0, less: 11, same: 1, finishing: { count: 1, people: ['Runa Aske'] }, finished: 40, closing: 2,
    people: [{ name: 'Per Aske', before: '1 of 2 units, 50 %', after: '1 of 3 units, 33 %' }],
  }; // prettier-ignore
  it('shows what changes and what it means for those under way, before it is done', async () => {
    const page = await open(LiveTab, DRAFT);
    await page.answer('/api/courses/7/publish', PREVIEW);
    const text = page.text();
    for (const words of ['“Chains” is new.', '12 have it open', '11 have more to do', '1 has finished by it', '2 lose something open now until it opens', 'Runa Aske: finished, and certified where the course is.', '40 finished it before; their finish stays.', 'Per Aske 1 of 2 units, 50 % 1 of 3 units, 33 %']) expect(text).toContain(words); // prettier-ignore
    await page.click(page.getByRole('button', { name: 'Publish' }));
    expect((await page.answer('/api/courses/7/publish', { version: 9, finished: 1 }, 'POST')).body).toEqual({ version: 4 });
    expect(page.text()).toContain('Version 9 is published. 1 finished by it.');
  });
  it('with a fault it cannot be, and leads to it', async () => {
    const page = await open(LiveTab, DRAFT);
    await page.answer('/api/courses/7/publish', { ...PREVIEW, faults: [{ unit: '11', section: null, words: '“Slings” can never open.' }] });
    expect((page.getByRole('button', { name: 'Publish' }) as HTMLButtonElement).disabled).toBe(true);
    expect(page.getByRole('link', { name: 'Mend it' }).getAttribute('href')).toBe('/courses/7?unit=11');
  });
  it('retires, with what becomes of those who have it open', async () => {
    const page = await open(LiveTab, { ...DRAFT, savedAt: null }, { retire: '1' });
    await page.click(page.getByRole('radio', { name: 'it is withdrawn from them' }));
    await page.type(page.getByLabelText('Reason, for the record'), 'A new one.');
    await page.click(page.getByRole('button', { name: 'Retire it' }));
    expect((await page.answer('/api/courses/7/retire', { withdrawn: 3 })).body).toEqual({ open: 'withdraw', reason: 'A new one.' });
    expect(page.text()).toContain('It is retired. 3 were withdrawn.');
  });
});

describe('when units open', () => {
  it('stands as one table with real dates for a real person; several are set at once', async () => {
    const page = await openPage(CoursePage, { inputs: { course: '7' } });
    await page.answer('/api/courses/7/draft', DRAFT);
    const made = page.fixture.componentRef.injector
      .get(ViewContainerRef)
      .createComponent(ReleaseTab, { injector: page.fixture.componentRef.injector });
    page.root.append(made.location.nativeElement as HTMLElement);
    await page.settle();
    await page.answer('/api/courses/7/openings', SEEN);
    expect(page.text()).toContain('For Kari Aske assigned Mon 1 Mar 09:30, London time');
    expect(page.getAllByRole('row').map(textOf)).toContain('Hooks at once Mon 8 Mar 08:00');
    await page.click(page.getByRole('checkbox', { name: 'Choose all units' }));
    await page.click(page.getByRole('button', { name: 'Set one by one' }));
    const { body } = await page.answer('/api/courses/7/draft', { version: 5, savedAt: '2027-03-01T09:42:00Z', ids: {}, faults: [] }, 'PUT');
    expect((body as { content: DraftView['content'] }).content.sections[0]!.units.map(({ release: of }) => of)).toEqual([1, 2, 3].map((nth) => ({ kind: 'weekday', weekday: 1, nth, at: '08:00' }))); // prettier-ignore
    await page.click(page.getByRole('button', { name: /Hooks opens on the 2nd Mon after the assignment, 08:00: change/ }));
    await page.choose(page.getAllByRole('combobox', { name: 'When it opens' }).at(-1)!, 'when a quiz is passed');
    expect(page.text()).toContain('Chains');
  });
});
