import { describe, expect, it, test, vi } from 'vitest';
import type { ActRow, RemindPreview } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { ActsPage } from './acts.page.ts';
import { AssignmentActs } from './assignment-acts.ts';
import { GroupLetters } from './group-letters.ts';
import { Remind } from './remind.ts';
import { CompletionsPage } from './completions.page.ts';

describe('a message to a group', () => {
  const preview = (count: number): RemindPreview => ({ count, closed: 0, toldLately: 0, told: [], people: [], byDay: [], held: [], skipped: [], missing: [], fault: null, settles: 10, letter: null }); // prettier-ignore
  const url = '/api/assignments/remind/preview';
  const choices = { departments: [{ id: '1', name: 'Deck' }], sites: [], groups: [], jobs: [], courses: [], sections: [], units: [] };
  const open = async () => {
    const page = await openPage(Remind, { inputs: { course: '7' } });
    await page.answer('/api/plans/7/choices', choices);
    return page;
  };
  const button = () => [...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find((one) => /^Write to/.test(one.textContent!.trim()))!; // prettier-ignore

  it('goes to who has the course and is in it, and on to who joins; nothing goes before something was written', async () => {
    const page = await open();
    expect((await page.answer(url, preview(2))).body).toMatchObject({ group: { courseId: '7', onlyIf: null }, joinersUntil: null, alsoTold: true }); // prettier-ignore
    expect(button().disabled).toBe(true);
    const writer = page.fixture.componentInstance as unknown as { message: { set(message: object): void } };
    writer.message.set({ subject: 'The drill is moved', body: 'Hello', button: null });
    await page.settle();
    await page.answer(url, preview(2));
    expect([button().textContent!.trim(), button().disabled]).toEqual(['Write to 2 people', false]);
    await page.click(page.getByRole('button', { name: 'Add a condition' }));
    await page.choose(page.getByLabelText('Add to condition 1'), 'Deck');
    expect((await page.answer(url, preview(0))).body).toMatchObject({ group: { onlyIf: { all: [{ department: ['1'], below: true }] } } });
    // nobody yet, and nobody who comes later
    expect(button().disabled).toBe(true);
    await page.type(page.getByLabelText('Who comes later gets it until'), '2027-04-30');
    expect((await page.answer(url, preview(0))).body).toMatchObject({ joinersUntil: '2027-04-30' });
    expect([button().textContent!.trim(), button().disabled]).toEqual(['Write to who comes', false]);
    expect(page.text()).toContain('Nobody gets it yet. Who comes later gets it too.');
  });

  it('stands with whom it reached, and is ended', async () => {
    const page = await openPage(GroupLetters, { inputs: { course: '7', canEnd: true } });
    const letter = { id: '3', name: 'Drill moved', subject: 'S', onlyIf: { department: ['1'], below: true }, until: '2027-04-30', at: '2027-03-01T09:00:00Z', by: 'Tora Hauge', reminded: 5, joined: 2, ended: null, goesOn: true }; // prettier-ignore
    await page.answer('/api/courses/7/letters', [letter]);
    await page.answer('/api/plans/7/choices', choices);
    expect(page.text()).toContain(
      'To whoever has the course open, only if in Deck: 5 people so far, 2 of them came later. Goes on until 30 Apr 2027.',
    );
    await page.click(page.getByRole('button', { name: 'End “Drill moved”' }));
    expect((await page.answer('/api/letters/3/end', [])).method).toBe('POST');
    await page.answer('/api/courses/7/letters', [{ ...letter, goesOn: false, ended: { at: '2027-03-02T09:00:00Z', by: 'Sigrid Aune' } }]);
    expect(page.text()).toContain('Ended by Sigrid Aune.');
  });
});

describe('what may be done with open assignments', () => {
  const open = async (canClose = true) => {
    const page = await openPage(AssignmentActs, { inputs: { assignmentIds: ['11', '12'], dueAt: '2027-03-19T16:00:00Z', canClose } });
    const done = vi.fn();
    page.fixture.componentInstance.done.subscribe(done);
    return { ...page, done };
  };
  test.each<[string, string, object]>([
    ['Extend', '/api/assignments/extend', { dueOn: '2027-03-26' }],
    ['Waive', '/api/assignments/waive', { until: null }],
    ['Withdraw', '/api/assignments/withdraw', {}],
  ])('%s: all of them in one, with the reason', async (button, url, rest) => {
    const page = await open();
    await page.type(page.getByLabelText('Reason'), 'dry dock');
    await page.click(page.getByRole('button', { name: button }));
    const act = { actId: '7', words: 'Done.', undoUntil: null, settlesAt: null };
    expect((await page.answer(url, act)).body).toEqual({ told: null, assignmentIds: ['11', '12'], reason: 'dry dock', ...rest });
    expect(page.done).toHaveBeenCalledWith(act);
  });
  it('a week later is proposed; the date is said again; a waiver may have a last day', async () => {
    const page = await open();
    expect((page.getByLabelText(/^New due date/) as HTMLInputElement).value).toBe('Fri 26 Mar 2027');
    expect((page.getByLabelText(/^Waived until/) as HTMLInputElement).placeholder).toBe('for good');
    await page.type(page.getByLabelText(/^Waived until/), '2028-01-31');
    expect((page.getByLabelText(/^Waived until/) as HTMLInputElement).value).toBe('Mon 31 Jan 2028');
    await page.click(page.getByRole('button', { name: 'Waive' }));
    expect((await page.answer('/api/assignments/waive', { actId: null, words: '' })).body.until).toBe('2028-01-31');
  });
  it('says what is missing, and keeps what was typed', async () => {
    const page = await open();
    await page.type(page.getByLabelText(/^New due date/), '2027-03-01');
    await page.click(page.getByRole('button', { name: 'Extend' }));
    await page.refuse('/api/assignments/extend', { code: 'wrong-input', message: 'reason: expected a reason.' }, 400);
    expect(page.getByRole('alert').textContent).toBe('reason: expected a reason.');
    expect((page.getByLabelText(/^New due date/) as HTMLInputElement).value).toBe('Mon 1 Mar 2027');
    expect(page.done).not.toHaveBeenCalled();
  });
  it('a manager only extends', async () => {
    const page = await open(false);
    expect(page.queryByRole('button', { name: /Waive|Withdraw/ })).toBeNull();
  });
});

describe('reminding by hand', () => {
  const url = '/api/assignments/remind/preview';
  const notice = { step: 'hand-0', stepName: 'x', kind: 'reminder', to: 'employee', occurrence: 0, addressee: null, at: '2027-03-01T09:40:00Z', local: 'Mon 1 Mar 10:40', zone: 'Europe/Oslo', outcome: 'send', held: null, because: null, reason: null, sentence: '' } as const; // prettier-ignore
  const person = (id: string, name: string, rest: object = {}) => ({ id, assignmentId: `1${id}`, name, site: 'Orla Quay', zone: 'Europe/Oslo', due: 'Fri 12 Mar 17:00', dueAt: '2027-03-12T16:00:00Z', note: null, notices: [notice], ...rest }); // prettier-ignore
  const PREVIEW: RemindPreview = { count: 2, closed: 0, toldLately: 1, told: [{ assignmentId: '13', person: 'Odd Aske', words: '“Late” Sun 28 Feb 09:00' }], people: [person('1', 'Kari Aske'), person('2', 'Runa Aske', { notices: [{ ...notice, outcome: 'hold', reason: 'the employee is on leave' }] })], byDay: [], held: [{ words: 'the employee is on leave', count: 1 }], skipped: [], missing: [], fault: null, settles: 10, letter: { assignmentId: '11', to: 'Kari Aske', subject: 'Safe Lifting: not finished yet', html: '<p>x</p>', text: 'x' } }; // prettier-ignore
  const open = async (preview = PREVIEW) => {
    const page = await openPage(Remind, { inputs: { whom: { assignmentIds: ['11', '12', '13'] } } });
    const done = vi.fn();
    page.fixture.componentInstance.done.subscribe(done);
    const { body } = await page.answer(url, preview);
    return { ...page, done, body };
  };
  const shown = (): string => document.querySelector('.p-dialog')!.textContent!.replace(/\s+/g, ' ');
  const button = (name: RegExp): HTMLButtonElement => [...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find((one) => name.test(one.textContent!))!; // prettier-ignore

  it('says who gets it and when, who is left alone and why, and what holds one; sends what is shown', async () => {
    const page = await open();
    expect(page.body).toMatchObject({ assignmentIds: ['11', '12', '13'], alsoTold: false, name: 'Reminder by hand' });
    expect(shown()).toContain('2 people get it. 1 was told within the last 48 hours and left out.');
    expect(shown()).toContain('Odd Aske: “Late” Sun 28 Feb 09:00');
    expect(shown()).toContain('1 held: the employee is on leave');
    expect(shown()).toContain('As Kari Aske reads it');
    await page.click(button(/^Next$/));
    expect((await page.answer(url, PREVIEW)).body.as).toBe('12');
    await page.click(document.querySelector<HTMLInputElement>('.p-dialog input[type=checkbox]')!);
    const { key } = (await page.answer(url, { ...PREVIEW, count: 3 })).body;
    expect(shown()).toContain('and get it again');
    await page.click(button(/^\s*Remind 3 people/));
    const sent = (await page.answer('/api/assignments/remind', { actId: '7', words: 'Reminded.' })).body;
    expect(sent).toMatchObject({ alsoTold: true, key });
    expect(page.done).toHaveBeenCalledWith({ actId: '7', words: 'Reminded.' });
  });

  it('a text with a fault, and nobody to write to, are not sent', async () => {
    await open({ ...PREVIEW, fault: 'There is no merge field {x}.', letter: null });
    expect([shown().includes('There is no merge field {x}.'), button(/^\s*Remind 2/).disabled]).toEqual([true, true]);
    document.body.innerHTML = '';
    await open({ ...PREVIEW, count: 0, people: [], letter: null });
    expect([shown().includes('Nobody gets it.'), button(/^\s*Remind 0/).disabled]).toEqual([true, true]);
  });

  it('what is refused is said, and it is looked up anew', async () => {
    const page = await open();
    await page.click(button(/^\s*Remind 2 people/));
    await page.refuse('/api/assignments/remind', { code: 'conflict', message: '2 people were told. Nobody was reminded.' }, 409);
    await page.answer(url, PREVIEW);
    expect(shown()).toContain('2 people were told. Nobody was reminded.');
    expect(page.done).not.toHaveBeenCalled();
  });
});

describe('the record of what was done by hand', () => {
  const act = (rest: Partial<ActRow> = {}): ActRow => ({
    id: '7', kind: 'extend', at: '2027-03-01T09:25:00Z', byWhom: 'Sigrid Aune', reason: 'dry dock', words: 'Extended Safe Lifting of 3 people.', undoneAt: null, undoneBy: null,
    undoUntil: '2027-03-01T09:35:00Z', ...rest,
  }); // prettier-ignore
  it('says who, when, why, and until when it can be taken back', async () => {
    const page = await openPage(ActsPage);
    await page.answer('/api/assignments/acts', [act(), act({ id: '6', words: 'Waived Muster.', undoUntil: null })]);
    expect(page.text()).toContain('Mon 1 Mar 10:25 Sigrid Aune Extended Safe Lifting of 3 people. dry dock Undo until 10:35');
    expect(page.queryByRole('button', { name: 'Undo: Waived Muster.' })).toBeNull();
    await page.click(page.getByRole('button', { name: 'Undo: Extended Safe Lifting of 3 people.' }));
    await page.answer('/api/assignments/acts/7/undo', {});
    await page.answer('/api/assignments/acts', [act({ undoneAt: '2027-03-01T09:30:00Z', undoneBy: 'Tora Hauge', undoUntil: null })]);
    expect(page.text()).toContain('taken back Mon 1 Mar 10:30 by Tora Hauge');
  });
  it('an act that was told of meanwhile stays, and says so', async () => {
    const page = await openPage(ActsPage);
    await page.answer('/api/assignments/acts', [act()]);
    await page.click(page.getByRole('button', { name: /^Undo/ }));
    await page.refuse('/api/assignments/acts/7/undo', { code: 'conflict', message: 'A notice went out because of it.' });
    expect(page.getByRole('alert').textContent).toBe('A notice went out because of it.');
  });
  it('is read by an auditor, empty too', async () => {
    const page = await openPage(ActsPage, { role: 'auditor' });
    await page.answer('/api/assignments/acts', []);
    expect(page.text()).toContain('Nothing was done by hand yet.');
    await page.announce('assignments');
    await page.answer('/api/assignments/acts', [act()]);
    expect(page.queryByRole('button')).toBeNull();
  });
});

describe('recording earlier completions', () => {
  const good = { row: 2, person: 'Ivar Moen', course: 'Muster', finishedOn: '2026-03-12', words: 'goes on the record as finished' };
  const open = async () => {
    const page = await openPage(CompletionsPage);
    await page.answer('/api/courses', [{ id: '3', title: 'Muster' }]);
    return page;
  };
  it('looks at a list as it is typed: what will be recorded, what is left out and why', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Completions'), 'person,date\nivar,12.03.2026\nghost,x');
    await page.choose(page.getByLabelText(/^Course, where/), 'Muster');
    const asked = await page.answer('/api/assignments/completions/preview', { rows: [good], rejected: [{ row: 3, column: 'person', reason: '"ghost" is nobody.' }], dateOrder: 'dmy', isDateOrderSure: true });
    expect(asked.body).toEqual({ text: 'person,date\nivar,12.03.2026\nghost,x', dateOrder: null, courseId: '3' });
    expect(page.text()).toContain('3 person "ghost" is nobody.');
    expect(page.text()).toContain('2 Ivar Moen Muster 12 Mar 2026 goes on the record as finished');
    await page.type(page.getByLabelText('Where they come from, for the record'), 'register');
    await page.click(page.getByRole('button', { name: 'Record 1' }));
    expect((await page.answer('/api/assignments/completions', { actId: '7', words: 'Recorded Muster for Ivar Moen.' })).body).toMatchObject({ reason: 'register', courseId: '3', proofId: null });
    expect(page.getByRole('status').textContent).toContain('Recorded Muster for Ivar Moen.');
    expect((page.getByLabelText('Completions') as HTMLTextAreaElement).value).toBe('');
  }); // prettier-ignore
  it('asks which way dates are to be read where both are possible', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Completions'), 'person,course,date\nivar,Muster,04/05/2026');
    await page.answer('/api/assignments/completions/preview', { rows: [good], rejected: [], dateOrder: 'dmy', isDateOrderSure: false });
    expect(page.text()).toContain('The dates can be read both ways. Which is right?');
    await page.choose(page.getByLabelText('Dates are read as'), 'month, day, year');
    expect((await page.answer('/api/assignments/completions/preview', { rows: [good], rejected: [], dateOrder: 'mdy', isDateOrderSure: true })).body.dateOrder).toBe('mdy');
    expect(page.text()).toContain('Dates are read as');
  }); // prettier-ignore
  it('keeps the list where it is refused', async () => {
    const page = await open();
    await page.type(page.getByLabelText('Completions'), 'person,course,date\nivar,Muster,2026-05-04');
    await page.answer('/api/assignments/completions/preview', { rows: [good], rejected: [], dateOrder: 'ymd', isDateOrderSure: true });
    await page.click(page.getByRole('button', { name: 'Record 1' }));
    await page.refuse(
      '/api/assignments/completions',
      { code: 'wrong-input', message: 'reason: expected where these completions come from.' },
      400,
    );
    expect(page.getByRole('alert').textContent).toContain('expected where these completions come from');
    expect((page.getByLabelText('Completions') as HTMLTextAreaElement).value).toContain('ivar,Muster');
  });
});
