import { beforeEach, describe, expect, it } from 'vitest';
import type { CourseView } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { CoursePage } from './course.page.ts';

const COURSE: CourseView = {
  id: '7', title: 'Safe Lifting', code: 'YRD-02', summary: 'Slings.', ownerId: null, owner: null, validityMonths: 12, assigned: 3, version: 4, changedAt: null, changedBy: null,
  sections: [{ id: '1', title: 'One', units: [{ id: '11', kind: 'page', title: 'Slings', required: true, body: '<p>x</p>', url: null, fileId: null, file: null }] }],
}; // prettier-ignore
const open = async (view = COURSE) => {
  const page = await openPage(CoursePage, { inputs: { course: '7' } });
  await page.answer('/api/courses/7', view);
  return page;
};
const title = (page: Awaited<ReturnType<typeof open>>) => page.getByLabelText('Title') as HTMLInputElement;
beforeEach(() => localStorage.clear());

describe('a course that is being changed', () => {
  it('is there again after a reload, and can be dropped', async () => {
    const first = await open();
    await first.type(title(first), 'Lifting');
    expect(first.text()).toContain('not saved yet');
    first.fixture.destroy();
    const again = await open();
    expect(title(again).value).toBe('Lifting');
    expect(again.text()).toContain('is here again');
    await again.click(again.getByRole('button', { name: 'Drop it' }));
    expect(title(again).value).toBe('Safe Lifting');
    expect(localStorage.length).toBe(0);
  });
  it('is saved over the version that was worked on, and nothing is kept then', async () => {
    const page = await open();
    await page.type(title(page), 'Lifting');
    await page.click(page.getByRole('button', { name: 'Save the course' }));
    const { body } = await page.answer('/api/courses/7', { ...COURSE, title: 'Lifting', version: 5 });
    expect(body).toMatchObject({ title: 'Lifting', version: 4 });
    expect([page.text().includes('not saved yet'), localStorage.length]).toEqual([false, 0]);
  });
  it('stands beside what somebody else saved meanwhile; one of the two is chosen', async () => {
    const page = await open();
    await page.type(title(page), 'Lifting');
    await page.click(page.getByRole('button', { name: 'Save the course' }));
    await page.refuse('/api/courses/7', { code: 'stale', message: 'Version 5 of this course was saved by Tora Hauge.' });
    await page.answer('/api/courses/7', { ...COURSE, summary: 'Slings and hooks.', version: 5 });
    const table = page.getByRole('table', { name: 'The two versions' });
    expect(textOf(table)).toContain('Title Lifting Safe Lifting');
    expect(textOf(table)).toContain('Summary Slings. Slings and hooks.');
    await page.click(page.getByRole('button', { name: 'Take theirs, drop mine' }));
    expect(title(page).value).toBe('Safe Lifting');
    expect(page.text()).not.toContain('not saved yet');
  });
});
