import { describe, expect, it } from 'vitest';
import { TestBed } from '@angular/core/testing';
import type { UnderWayView } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { CourseStore } from '../courses/course.store.ts';
import { UnderWayTab } from './under-way.tab.ts';

const row = (name: string, rest: object = {}) => ({ assignmentId: name, person: { id: '3', name }, department: 'Deck', state: 'in progress', dueAt: '2027-03-12T16:00:00Z', unitsDone: 1, unitsRequired: 2, where: { unit: 'Slings', at: '2027-02-20T09:00:00Z' }, waiting: [], unfinished: [], ...rest }); // prettier-ignore
const VIEW: UnderWayView = {
  course: { id: '7', title: 'Safe Lifting' },
  counts: { all: 3, unopened: 1, stuck: 1, waiting: 1, packages: 1, late: 0 },
  total: 3,
  rows: [
    row('Runa Aske'),
    row('Per Aske', { state: 'not started', where: null, unitsDone: 0 }),
    row('Odd Aske', { waiting: [{ id: '5', unit: 'The hooks' }], unfinished: ['The drill'] }),
  ],
  activity: [{ at: '2027-03-01T09:00:00Z', person: { id: '3', name: 'Runa Aske' }, words: 'Finished “Slings” of the course' }],
};
const url = (who: string, days = 7, offset = 0): string => `/api/reports/courses/7/under-way?who=${who}&days=${days}&offset=${offset}`;

async function open(role: 'administrator' | 'trainer' = 'administrator') {
  TestBed.resetTestingModule();
  class Store extends CourseStore {
    constructor() {
      super();
      this.id.set('7');
    }
  }
  const page = await openPage(UnderWayTab, { providers: [{ provide: CourseStore, useClass: Store }], role });
  await page.answer(url('all'), VIEW);
  return page;
}

describe('a course as it goes on', () => {
  it('says who is where, who waits, and what happened last', async () => {
    const page = await open();
    const [, ...rows] = page.getAllByRole('row').map(textOf);
    expect(rows[0]).toContain('Runa Aske Deck Slings Sat 20 Feb 10:00 1 of 2 Fri 12 Mar');
    expect(rows[1]).toContain('opened nothing');
    expect(rows[2]).toContain('“The hooks” waits for marking');
    expect(rows[2]).toContain('“The drill” was opened and does not say that it is done');
    expect(page.text()).toContain('Runa Aske: Finished “Slings” of the course');
  });

  it('asks for those who are meant, and is asked anew when something happens', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: '1 stuck: nothing done for 7 days' }));
    await page.answer(url('stuck'), { ...VIEW, rows: [VIEW.rows[0]!], total: 1 });
    await page.type(page.getByLabelText('Days without activity'), '14');
    await page.answer(url('stuck', 14), { ...VIEW, rows: [], total: 0, counts: { ...VIEW.counts, stuck: 0 } });
    expect(page.text()).toContain('Nobody: nothing to do here.');
    await page.announce('assignments');
    await page.answer(url('stuck', 14), VIEW);
  });

  it('acts on those who are chosen; a trainer reads', async () => {
    const page = await open();
    await page.click(page.getByRole('checkbox', { name: 'Choose Runa Aske' }));
    expect(page.text()).toContain('1 chosen');
    expect(page.getAllByRole('button', { name: /due date|Extend/i }).length).toBeGreaterThan(0);
    const trainer = await open('trainer');
    expect(trainer.queryByRole('checkbox', { name: 'Choose Runa Aske' })).toBeNull();
  });
});
