import { findByRole } from '@testing-library/dom';
import { describe, expect, it, vi } from 'vitest';
import { STANDARD_PLAN } from '@nudrik/core';
import type { PlanChoices, PlanPreview, PlanStepView, PlanView } from '@nudrik/contract';
import { openPage, textOf } from '../../testing/page.ts';
import { PlanKeeper } from './plan-keeper.ts';
import { PlanPage } from './plan.page.ts';
import { StepHistory } from './step-history.ts';

const STEPS = structuredClone(STANDARD_PLAN) as PlanStepView[];
const VIEW: PlanView = { course: { id: '7', title: 'Safe Lifting' }, version: 3, publishedAt: '2027-02-01T09:00:00Z', publishedBy: 'Tora Hauge', steps: STEPS, next28: {}, open: 2, people: [{ id: '5', name: 'Odd Aske' }], draft: null, sender: null, senders: { house: 'Safety training', trainer: 'Tora Hauge', replies: 'Tora Hauge', now: { name: 'Safety training', replies: 'Tora Hauge' } }, chat: null, follows: null, followers: [] }; // prettier-ignore
const CHOICES: PlanChoices = {
  departments: [{ id: '1', name: 'Deck' }], sites: [{ id: '2', name: 'Orla Quay' }], groups: [], jobs: ['Cook'], courses: [{ id: '9', title: 'Muster' }],
  sections: [{ id: '4', title: 'One' }], units: [{ id: '11', title: 'Slings', kind: 'page' }, { id: '12', title: 'The hooks', kind: 'quiz' }],
}; // prettier-ignore
const PREVIEW: PlanPreview = {
  added: 1,
  moved: 0,
  dropped: 0,
  kept: 3,
  changes: [],
  people: [],
  faults: [],
  missing: [],
  warnings: [],
  found: [],
  followers: [],
  bySteps: [],
};

async function open(view: PlanView = VIEW, role: 'administrator' | 'trainer' = 'administrator') {
  localStorage.clear();
  const page = await openPage(PlanPage, { inputs: { course: '7' }, role });
  await page.answer('/api/plans/7', view);
  await page.answer('/api/plans/7/choices', CHOICES);
  await page.answer('/api/holds/over?scope=plan&of=7', []);
  const keeper = page.fixture.debugElement.injector.get(PlanKeeper);
  /** what is asked of the server about the draft, the last time: on a slow machine it is asked about what was done before as well */
  const draft = async (): Promise<PlanStepView[]> => {
    const { steps } = (await page.answer('/api/plans/7/preview', PREVIEW)).body as { steps: PlanStepView[] };
    return JSON.stringify(steps) === JSON.stringify(keeper.steps()) ? steps : draft();
  };
  const sheet = () => page.root.querySelector('nk-step-sheet')!;
  const field = (label: string) => sheet().querySelector<HTMLElement>(`[aria-label="${label}"]`)!;
  const row = (name: RegExp) => page.getByRole('row', { name });
  const key = async (target: Element, init: KeyboardEventInit) => {
    target.dispatchEvent(new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...init }));
    await page.settle();
  };
  return { ...page, draft, sheet, field, row, key };
}
const of = (steps: PlanStepView[], name: string): PlanStepView => steps.find((step) => step.name === name)!;

describe('a plan as it is written', () => {
  it('a step begins as something useful, switched off; and is taken back', async () => {
    const page = await open();
    expect(await page.draft()).toHaveLength(6);
    await page.choose(page.getByRole('combobox', { name: 'Add a step' }), 'Nothing done for a week');
    const made = (await page.draft()).at(-1)!;
    expect(made).toMatchObject({
      name: 'Nothing done for a week',
      on: false,
      anchor: { event: 'idle' },
      offset: { amount: 7, unit: 'days' },
    });
    expect(made.id).toMatch(/^s-[0-9a-f-]{13}$/);
    expect(page.getByRole('heading', { name: 'Nothing done for a week' })).toBeTruthy();
    await page.key(document.body, { key: 'z', ctrlKey: true });
    expect(await page.draft()).toHaveLength(6);
    await page.key(document.body, { key: 'Z', ctrlKey: true, shiftKey: true });
    expect(await page.draft()).toHaveLength(7);
  });

  it('by keys on a row: on and off, its place, a copy with an id of its own, and away', async () => {
    const page = await open();
    await page.draft();
    await page.key(page.row(/Two days to go(?! \(copy\))/), { key: ' ' });
    expect(of(await page.draft(), 'Two days to go').on).toBe(false);
    await page.key(page.row(/Two days to go(?! \(copy\))/), { key: 'ArrowUp', altKey: true });
    expect((await page.draft()).map(({ id }) => id).slice(0, 3)).toEqual(['invitation', 'two-days-to-go', 'onboarding']);
    await page.key(page.row(/Two days to go(?! \(copy\))/), { key: 'd', ctrlKey: true });
    const copied = await page.draft();
    expect(copied.filter(({ name }) => name.startsWith('Two days to go')).map(({ name, on }) => [name, on])).toEqual([['Two days to go', false], ['Two days to go (copy)', false]]); // prettier-ignore
    expect(new Set(copied.map(({ id }) => id)).size).toBe(7);
    await page.key(page.row(/Two days to go \(copy\)/), { key: 'Delete' });
    expect(await page.draft()).toHaveLength(6);
    // what somebody types in a field is no key of the row
    await page.key(page.row(/Two days to go(?! \(copy\))/).querySelector('input')!, { key: 'Delete' });
    expect(page.waiting().filter((asked) => !asked.endsWith('/draft'))).toEqual([]); // keeping the draft is no answer to this key
  });

  it('a flag is moved by arrows in its own unit, and nothing goes before what nobody foresees', async () => {
    const page = await open();
    await page.draft();
    const flag = (label: RegExp) => page.getByRole('button', { name: label });
    await page.key(flag(/^Two days to go, 48 hours before due/), { key: 'ArrowLeft' });
    expect(of(await page.draft(), 'Two days to go').offset).toEqual({ amount: -49, unit: 'hours' });
    await page.key(flag(/^Getting started, 2 days after assigned/), { key: 'ArrowLeft', shiftKey: true });
    expect(of(await page.draft(), 'Getting started').offset).toEqual({ amount: 0, unit: 'days' });
    await page.key(flag(/^Late, 1 working day after due/), { key: 'ArrowLeft', shiftKey: true });
    expect(of(await page.draft(), 'Late').offset).toEqual({ amount: -9, unit: 'working days' });
  });

  it('hangs on another anchor, with what that one asks for', async () => {
    const page = await open();
    await page.draft();
    await page.choose(page.field('What it hangs on'), 'the quiz is failed');
    // nothing goes before it: the hours stand after it now
    expect(of(await page.draft(), 'Two days to go')).toMatchObject({
      anchor: { event: 'quiz-failed' },
      offset: { amount: 48, unit: 'hours' },
    });
    await page.choose(page.field('Which unit'), 'The hooks');
    expect(of(await page.draft(), 'Two days to go').anchor).toEqual({ event: 'quiz-failed', unit: '12' });
    await page.choose(page.field('What it hangs on'), 'the section is finished');
    expect(of(await page.draft(), 'Two days to go').anchor).toEqual({ event: 'section-finished', section: '4' });
    await page.choose(page.field('What it hangs on'), 'the date');
    expect(page.getByRole('alert').textContent).toContain('needs a date');
    await page.draft();
    await page.type(page.field('Which date'), '2027-04-01');
    expect(of(await page.draft(), 'Two days to go').anchor).toEqual({ event: 'date', date: '2027-04-01' });
    expect(page.queryByRole('alert')).toBeNull();
  });

  it('repeats, ends, is gathered, and goes to whoever is meant', async () => {
    const page = await open();
    await page.draft();
    await page.choose(page.field('Unit'), 'days');
    await page.click(page.getByLabelText('repeating'));
    await page.type(page.field('Times in all'), '5');
    await page.type(page.field('Never after'), '2027-06-30');
    await page.click(page.getByLabelText(/^one message a day to each/));
    const toWhom = [...page.sheet().querySelectorAll('fieldset')].find((one) => one.querySelector('legend')!.textContent === 'To whom')!;
    await page.click(
      [...toWhom.querySelectorAll('label')].find((one) => one.textContent!.trim() === 'the manager')!.querySelector('input')!,
    );
    await page.draft();
    await page.type(page.getByRole('combobox', { name: 'Tell somebody' }), 'odd');
    await page.answer('/api/people?find=odd&sort=fit&size=12', { rows: [{ id: '5', name: 'Odd Aske', department: 'Deck', site: 'Orla Quay', job: null }], total: 1 }); // prettier-ignore
    await page.click(await findByRole(document.body, 'option', { name: /Odd Aske/ }));
    expect(of(await page.draft(), 'Two days to go')).toMatchObject({
      at: '09:00', gather: 'per day', endsOn: '2027-06-30', repeat: { every: { amount: 3, unit: 'working days' }, times: 5 }, to: ['employee', 'manager', 'person 5'],
    }); // prettier-ignore
    expect(textOf(page.row(/Two days to go(?! \(copy\))/))).toContain('employee, manager, Odd Aske');
  });

  it('asks conditions of the assignment in rows that read as a sentence; one that says nothing yet is not published', async () => {
    const page = await open();
    await page.draft();
    const rows = () => page.sheet().querySelectorAll('nk-condition-rows')[1]!;
    const inRows = (label: string) => rows().querySelector<HTMLElement>(`[aria-label="${label}"]`)!;
    // it stops when finished, and when the quiz has a score
    await page.click([...rows().querySelectorAll('button')].find((button) => button.textContent === 'Add a condition')!);
    const second = () => [...rows().querySelectorAll<HTMLElement>('[role=group]')][1]!;
    await page.choose(second().querySelector<HTMLElement>('[aria-label="What is asked"]')!, 'a score in the quiz');
    expect(page.getByRole('alert').textContent).toContain('Condition 2 is not finished: choose a quiz and a score');
    expect((page.getByRole('button', { name: 'Publish changes…' }) as HTMLButtonElement).disabled).toBe(true);
    await page.choose(second().querySelector<HTMLElement>('[aria-label="Quiz"]')!, 'The hooks');
    await page.draft();
    await page.type(inRows('At least'), '60');
    expect(of(await page.draft(), 'Two days to go').stopWhen).toEqual({ all: [{ state: ['finished'] }, { quizScore: { unit: '12', atLeast: 60 } }] }); // prettier-ignore
    expect(page.text()).toContain('It stops when finished and the best score in the quiz “The hooks” is at least 60 %');
    expect(page.queryByRole('alert')).toBeNull();
  });

  it('an earlier version stands beside what is in hand, and is brought back as a draft; publishing says why', async () => {
    const page = await open();
    await page.draft();
    await page.click(page.getByRole('button', { name: 'Versions' }));
    const version = (n: number, note: string | null) => ({ version: n, publishedAt: '2027-01-01T09:00:00Z', publishedBy: 'Tora Hauge', note, steps: 6, on: 5 }); // prettier-ignore
    await page.answer('/api/plans/7/versions', [version(3, 'Later reminders'), version(2, null), version(1, null)]);
    const earlier = STEPS.map((step) => (step.id === 'late' ? { ...step, on: false, onlyIf: { department: ['1'] } } : step));
    await page.answer('/api/plans/7/versions/2', earlier);
    const dialog = () => document.querySelector('.p-dialog')!;
    expect(textOf(dialog() as HTMLElement)).toContain('Later reminders');
    const [, changed, ...rest] = [...dialog().querySelectorAll('table tr')].map((one) => textOf(one as HTMLElement));
    expect(rest).toEqual([]);
    expect(changed).toMatch(/^Late off, late: .* only if in Deck .* on, late: .* only if not finished/);
    await page.click([...dialog().querySelectorAll('button')].find((one) => one.textContent!.includes('Bring version 2 back'))!);
    expect(of(await page.draft(), 'Late')).toMatchObject({ on: false, onlyIf: { department: ['1'] } });
    await page.click(page.getByRole('button', { name: 'Publish changes…' }));
    await page.type(document.querySelector<HTMLInputElement>('.p-dialog input')!, 'As it was in winter');
    await page.click(
      [...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find((one) => /Publish version/.test(one.textContent!))!,
    );
    // where this took a while the draft is being kept, which publishing waits for
    if (page.waiting().some((asked) => asked.endsWith('/draft'))) await page.answer('/api/plans/7/draft', { written: 1, savedAt: '2027-03-01T09:42:00Z' }); // prettier-ignore
    expect((await page.answer('/api/plans/7/publish', { version: 4 })).body).toMatchObject({ version: 3, note: 'As it was in winter' });
  });

  it('says who its messages come from; a step may say otherwise, and what is no address is not taken', async () => {
    const page = await open();
    await page.draft();
    expect(page.root.textContent).toContain('Messages come from Safety training; replies reach Tora Hauge.');
    await page.click(page.getByRole('button', { name: 'Change …' }));
    const dialog = () => document.querySelector<HTMLElement>('.p-dialog')!;
    await page.choose(dialog().querySelector<HTMLElement>('[aria-label="By name of"]')!, 'the trainer: Tora Hauge');
    await page.click([...dialog().querySelectorAll('button')].find((one) => one.textContent!.includes('Keep it'))!);
    const asked = await page.answer('/api/plans/7/sender', { sender: null });
    expect(asked.body).toEqual({ sender: { isTrainer: true, name: null, replyTo: null }, was: null });
    await page.answer('/api/plans/7', { ...VIEW, sender: { isTrainer: true, name: null, replyTo: null }, senders: { ...VIEW.senders, now: { name: 'Tora Hauge', replies: 'Tora Hauge' } } });
    expect(page.root.textContent).toContain('Messages come from Tora Hauge');
    // of the step that stands open
    await page.choose(page.field('By name of'), 'another name');
    const input = (label: string) => [...page.sheet().querySelectorAll('label')].find((one) => one.textContent!.includes(label))!.querySelector('input')!;
    const put = async (label: string, words: string) => {
      input(label).value = words;
      for (const type of ['input', 'blur']) input(label).dispatchEvent(new Event(type));
      await page.settle();
    };
    await put('Which name', ' The  bridge ');
    await put('Replies go to', 'bridge@');
    expect(page.sheet().textContent).toContain('“bridge@” is no mail address');
    expect((await page.draft()).find(({ sender }) => sender)?.sender).toEqual({ isTrainer: false, name: 'The bridge', replyTo: null });
    await put('Replies go to', 'bridge@orlasund.example');
    expect((await page.draft()).find(({ sender }) => sender)?.sender).toEqual({ isTrainer: false, name: 'The bridge', replyTo: 'bridge@orlasund.example' });
  }); // prettier-ignore

  it('tells somebody what a step sent: by one summary a day unless each is asked for, with how many mails that is', async () => {
    const page = await open({ ...VIEW, next28: Object.fromEntries(STEPS.map(({ id }) => [id, 64])) });
    await page.draft();
    const copies = () => [...page.sheet().querySelectorAll('fieldset')].find((one) => one.querySelector('legend')!.textContent === 'Copies')!;
    expect(copies().textContent).toContain('Nobody is told what it sent');
    await page.click([...copies().querySelectorAll('label')].find((one) => one.textContent!.includes('the owner'))!.querySelector('input')!);
    expect((await page.draft()).find((one) => one.copies)!.copies).toEqual({ to: ['trainer'], isEach: false });
    expect(textOf(copies() as HTMLElement)).toContain('At most 28 mails in the next 28 days, as it is published now; each by itself would be 64 mails.');
    await page.click([...copies().querySelectorAll('label')].find((one) => one.textContent!.includes('each message by itself'))!.querySelector('input')!);
    expect((await page.draft()).find((one) => one.copies)!.copies).toEqual({ to: ['trainer'], isEach: true });
    expect(textOf(copies() as HTMLElement)).toContain('That is 64 mails');
  }); // prettier-ignore

  it('is read by a trainer, and not changed', async () => {
    const page = await open(VIEW, 'trainer');
    expect([page.queryByRole('combobox', { name: 'Add a step' }), page.queryByRole('button', { name: 'Undo' }), page.sheet()]).toEqual([null, null, null]); // prettier-ignore
    await page.draft();
    await page.key(page.row(/Two days to go(?! \(copy\))/), { key: 'Delete' });
    await page.key(page.getByRole('button', { name: /^Two days to go, 48 hours/ }), { key: 'ArrowLeft' });
    expect(page.waiting()).toEqual([]);
  });
});

describe('the draft of a plan', () => {
  const SAVED = { written: 1, savedAt: '2027-03-01T09:42:00Z' };
  const url = '/api/plans/7/draft';
  const switchOff = async (page: Awaited<ReturnType<typeof open>>, step = /Two days to go/) => page.key(page.row(step), { key: ' ' });
  const kept = (rest: object = {}): PlanView => ({ ...VIEW, draft: { version: 3, written: 4, steps: STEPS.map((step) => ({ ...step, on: false })), savedAt: SAVED.savedAt, savedBy: 'Tora Hauge', ...rest } }); // prettier-ignore

  it('is kept as it is written, and says when; taken back to what is published it is dropped', async () => {
    const page = await open();
    await switchOff(page);
    const { body } = await page.answer(url, SAVED);
    expect(body).toMatchObject({ version: 3, written: 0 });
    expect(of(body.steps as PlanStepView[], 'Two days to go').on).toBe(false);
    expect(page.text()).toContain('draft, saved Mon 1 Mar 10:42');
    await page.click(page.getByRole('button', { name: 'Undo' }));
    expect((await page.answer(`${url}/drop`, { written: 0 })).body).toEqual({ written: 1 });
    expect(page.text()).toContain('Version 3, published');
    // the next one is the first again
    await switchOff(page);
    expect((await page.answer(url, SAVED)).body.written).toBe(0);
  });

  it('is there again, whoever wrote it; and left, it is gone', async () => {
    const page = await open(kept());
    expect(page.text()).toContain('draft, saved Mon 1 Mar 10:42 by Tora Hauge');
    expect((await page.draft()).every(({ on }) => !on)).toBe(true);
    await page.click(page.getByRole('button', { name: 'Leave the changes' }));
    expect((await page.answer(`${url}/drop`, { written: 0 })).body).toEqual({ written: 4 });
    expect((await page.draft()).every(({ on }) => on)).toBe(true);
  });

  it('left while a save is on its way, it is dropped once that has arrived', async () => {
    const page = await open();
    await switchOff(page);
    await page.draft();
    await vi.waitFor(() => expect(page.waiting()).toContain('PUT /api/plans/7/draft'), { timeout: 6_000, interval: 50 });
    await page.click(page.getByRole('button', { name: 'Leave the changes' }));
    await page.answer(url, SAVED);
    expect((await page.answer(`${url}/drop`, { written: 0 })).body).toEqual({ written: 1 });
    expect(page.fixture.debugElement.injector.get(PlanKeeper).steps()).toEqual(STEPS);
    expect(page.text()).toContain('Version 3, published');
  });

  it('the page left at once keeps the last of what was written, and asks nothing', async () => {
    const page = await open();
    await page.draft();
    await switchOff(page);
    let isSettled = false;
    void page.fixture.componentInstance.settled().then(() => (isSettled = true));
    await page.settle();
    expect(isSettled).toBe(false);
    await page.answer(url, SAVED);
    await vi.waitFor(() => expect(isSettled).toBe(true), { timeout: 6_000, interval: 50 });
    expect(page.fixture.componentInstance.work.hasUnsaved()).toBe(false);
    // where the server does not answer it is asked about
    await switchOff(page, /Getting started/);
    const again = page.fixture.componentInstance.settled();
    await page.refuse(url, null, 503);
    await again;
    expect(page.fixture.componentInstance.work.hasUnsaved()).toBe(true);
  });

  it('nothing is kept beside publishing; what is changed meanwhile begins the next draft', async () => {
    const page = await open();
    await page.draft();
    await switchOff(page);
    await page.answer(url, SAVED);
    await page.draft();
    await page.click(page.getByRole('button', { name: 'Publish changes…' }));
    await page.click([...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find((one) => /Publish version/.test(one.textContent!))!); // prettier-ignore
    await page.key(page.row(/Getting started/), { key: ' ' });
    page.fixture.debugElement.injector.get(PlanKeeper).saveNow();
    expect(page.waiting().filter((line) => line.startsWith('PUT'))).toEqual([]);
    const { body } = await page.answer('/api/plans/7/publish', { version: 4 });
    expect([body.written, of(body.steps as PlanStepView[], 'Getting started').on]).toEqual([1, true]);
    const next = (await page.answer(url, SAVED)).body;
    expect([next.version, next.written, of(next.steps as PlanStepView[], 'Getting started').on]).toEqual([4, 0, false]);
  });

  it('publishing waits for a save that is on its way, and goes by its number; where that is refused nothing is published', async () => {
    const page = await open();
    const publish = () => page.click([...document.querySelectorAll<HTMLButtonElement>('.p-dialog button')].find((one) => /Publish version/.test(one.textContent!))!); // prettier-ignore
    const published = (): string[] => page.waiting().filter((line) => line.endsWith('/publish'));
    await switchOff(page);
    await page.draft();
    // the look at what would change is opened before what was changed last is kept
    await page.click(page.getByRole('button', { name: 'Publish changes…' }));
    await vi.waitFor(() => expect(page.waiting()).toContain('PUT /api/plans/7/draft'), { timeout: 6_000, interval: 50 });
    await publish();
    expect(published()).toEqual([]);
    await page.refuse(url, null, 503);
    expect(published()).toEqual([]);
    page.fixture.debugElement.injector.get(PlanKeeper).saveNow();
    await publish();
    await page.answer(url, SAVED);
    expect((await page.answer('/api/plans/7/publish', { version: 4 })).body.written).toBe(1);
  });

  it('comes again as the same save where its answer was lost', async () => {
    const page = await open();
    await switchOff(page);
    const first = await page.refuse(url, null, 503);
    expect(page.text()).toContain('not kept yet: the server does not answer');
    await vi.waitFor(() => expect(page.waiting()).toContain('PUT /api/plans/7/draft'), { timeout: 6_000, interval: 50 });
    const again = await page.answer(url, SAVED);
    expect(again.body.save).toBe(first.body.save);
    expect(page.text()).toContain('draft, saved Mon 1 Mar 10:42');
  });

  it.each(['Go on with mine', 'Take theirs, drop mine'])('over a newer one is refused with both at hand: %s', async (choice) => {
    const page = await open();
    await page.draft();
    await switchOff(page);
    await page.draft();
    await page.refuse(url, { code: 'stale', message: 'Tora Hauge kept a draft of this plan on Mon 1 Mar 10:40, while you worked on yours.' }, 409); // prettier-ignore
    await page.answer('/api/plans/7', kept());
    expect(page.getByRole('table', { name: 'The two versions' }).textContent).toContain('Late');
    await page.click(page.getByRole('button', { name: choice }));
    if (choice === 'Go on with mine')
      expect((await page.answer(url, { ...SAVED, written: 5 })).body).toMatchObject({ written: 4, version: 3 }); // prettier-ignore
    else expect((await page.draft()).every(({ on }) => !on)).toBe(true);
  });
});

describe('what was done to a draft', () => {
  const step = (name: string): PlanStepView => ({ ...STEPS[0]!, name });
  it('the same words running are one; a change that is none is none', () => {
    const history = new StepHistory();
    history.reset([step('a')]);
    history.change('name', () => [step('ab')]);
    history.change('name', () => [step('abc')]);
    history.change('name', (steps) => steps);
    history.change('order', () => [step('abc'), step('d')]);
    history.undo();
    expect(history.steps().map(({ name }) => name)).toEqual(['abc']);
    history.undo();
    expect(history.steps().map(({ name }) => name)).toEqual(['a']);
    expect([history.canUndo(), history.canRedo()]).toEqual([false, true]);
    history.redo();
    history.redo();
    expect(history.steps().map(({ name }) => name)).toEqual(['abc', 'd']);
    history.undo();
    history.change('other', () => [step('x')]);
    expect(history.canRedo()).toBe(false);
  });

  it('says what is to be known with who it is about, and mends it as a change that can be undone', async () => {
    const page = await open();
    const shorter = {
      words: 'Move it to 1 day before due',
      step: 'two-days-to-go',
      change: { offset: { amount: -1, unit: 'days' as const } },
    };
    const away = { words: 'Take “Late” away', step: 'late', change: null };
    const found: PlanPreview['found'] = [
      { kind: 'before-assignment', step: 'two-days-to-go', stepName: 'Two days to go', words: '“Two days to go” falls before the assignment of 3 people.', count: 3, people: [{ id: '4', name: 'Runa Aske', assignmentId: '12' }], mend: shorter },
      { kind: 'alike', step: 'late', stepName: 'Late', words: '“Late” says word for word what another says.', count: 0, people: [], mend: away },
    ]; // prettier-ignore
    await page.answer('/api/plans/7/preview', { ...PREVIEW, found });
    await page.click(page.getByRole('button', { name: 'Show the 3' }));
    expect(page.text()).toMatch(/Runa Aske, and 2 more/);
    await page.click(page.getByRole('button', { name: shorter.words }));
    const { body } = await page.answer('/api/plans/7/preview', { ...PREVIEW, found: [found[1]!] });
    expect((body.steps as PlanStepView[]).find(({ id }) => id === 'two-days-to-go')!.offset).toEqual(shorter.change.offset);
    await page.click(page.getByRole('button', { name: away.words }));
    expect((await page.draft()).some(({ id }) => id === 'late')).toBe(false);
    await page.click(page.getByRole('button', { name: 'Undo' }));
    expect((await page.draft()).some(({ id }) => id === 'late')).toBe(true);
  });
});
