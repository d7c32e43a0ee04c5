import { Component, signal } from '@angular/core';
import { findByRole, waitFor } from '@testing-library/dom';
import { describe, expect, it } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { conditionFrom, newRow, type GroupRow } from './condition-model.ts';
import { ConditionPeople, ConditionRows } from './condition-rows.ts';

import type { BuilderFacts } from '../requirements/audience.worker.ts';

const FACTS: BuilderFacts = {
  today: '2027-03-01', people: 4, jobs: ['Cook', 'Deckhand'],
  departments: [{ id: '1', name: 'Deck', parentId: null }, { id: '2', name: 'Engine', parentId: null }],
  sites: [{ id: '5', name: 'Orla Quay' }], groups: [{ id: '8', name: 'Shore staff' }], courses: [{ id: '3', title: 'Muster' }],
}; // prettier-ignore
const names = new Map([['77', 'Ivar Moen']]);
const store = {
  nameOf: (id: string) => names.get(id) ?? '…',
  learn: ({ id, name }: { id: string; name: string }) => names.set(id, name),
  findPeople: (text: string) => Promise.resolve(text === 'mo' ? [{ id: '77', name: 'Ivar Moen', words: 'Head of deck, Deck' }] : []),
};

@Component({
  imports: [ConditionRows],
  template: `<nk-condition-rows [group]="rows()" [facts]="facts" (changed)="rows.set($event)" />`,
})
class Builder {
  readonly facts = FACTS;
  readonly rows = signal<GroupRow>({ kind: 'group', isNot: false, mode: 'all', rows: [newRow()] });
}

const open = async () => {
  const page = await openPage(Builder, { providers: [{ provide: ConditionPeople, useValue: store }] });
  return { ...page, audience: () => conditionFrom(page.fixture.componentInstance.rows()) };
};
type Page = Awaited<ReturnType<typeof open>>;
const within = (page: Page, name: string) => page.getAllByRole('group', { name })[0]!;
const field = (page: Page, condition: string, label: string) =>
  within(page, condition).querySelector<HTMLElement>(`[aria-label="${label}"]`)!;

describe('the rows of an audience', () => {
  it('begin with one that asks for nothing yet, and ask as soon as something is chosen', async () => {
    const page = await open();
    expect(page.audience()).toBeNull();
    await page.choose(page.getByLabelText('Add to condition 1'), 'Deck');
    await page.choose(page.getByLabelText('Add to condition 1'), 'Engine');
    expect(page.audience()).toEqual({ all: [{ department: ['1', '2'], below: true }] });
    // what is chosen is not offered again, and everything is chosen now
    expect(page.queryByLabelText('Add to condition 1')).toBeNull();
    await page.click(page.getByRole('button', { name: 'Take out Deck' }));
    await page.click(page.getByLabelText('and below'));
    expect(page.audience()).toEqual({ all: [{ department: ['2'], below: false }] });
  });
  it('read as a sentence: is, is not, has, has not', async () => {
    const page = await open();
    expect(field(page, 'Condition 1', 'Whether it holds').textContent).toBe('is');
    await page.choose(field(page, 'Condition 1', 'Whether it holds'), 'is not');
    expect(field(page, 'Condition 1', 'Whether it holds').textContent).toBe('is not');
    await page.choose(field(page, 'Condition 1', 'What is asked'), 'joined in the last');
    expect(field(page, 'Condition 1', 'Whether it holds').textContent).toBe('has not');
    await page.choose(field(page, 'Condition 1', 'Whether it holds'), 'has');
    await page.choose(field(page, 'Condition 1', 'Whether it holds'), 'has not');
    await page.type(page.getByLabelText('Days'), '60');
    expect(page.audience()).toEqual({ all: [{ not: { joinedWithin: 60 } }] });
  });
  it('say a date again in words', async () => {
    const page = await open();
    await page.choose(field(page, 'Condition 1', 'What is asked'), 'joined before');
    await page.type(page.getByLabelText('Date'), '2026-05-01');
    expect((page.getByLabelText('Date') as HTMLInputElement).value).toBe('Fri 1 May 2026');
    expect(page.audience()).toEqual({ all: [{ joinedBefore: '2026-05-01' }] });
  });
  it('are all needed, or any of them; joined by the right word', async () => {
    const page = await open();
    await page.choose(page.getByLabelText('Add to condition 1'), 'Deck');
    await page.click(page.getByRole('button', { name: 'Add a condition' }));
    await page.choose(field(page, 'Condition 2', 'What is asked'), 'at site');
    await page.choose(page.getByLabelText('Add to condition 2'), 'Orla Quay');
    expect(within(page, 'Condition 2').querySelector('.joint')!.textContent).toBe('and');
    await page.choose(page.getByLabelText('All or any of these'), 'any of these holds');
    expect(within(page, 'Condition 2').querySelector('.joint')!.textContent).toBe('or');
    expect(page.audience()).toEqual({ any: [{ department: ['1'], below: true }, { site: ['5'] }] });
  });
  it('may hold groups, which may be denied as a whole', async () => {
    const page = await open();
    await page.choose(page.getByLabelText('Add to condition 1'), 'Deck');
    await page.click(page.getAllByRole('button', { name: 'Add a group of conditions' })[0]!);
    const inner = page.getAllByRole('group', { name: 'Condition 1' })[1]!;
    await page.choose(inner.querySelector('[aria-label="What is asked"]')!, 'in group');
    await page.choose(page.getAllByLabelText('Add to condition 1').at(-1)!, 'Shore staff');
    await page.choose(field(page, 'Condition 2', 'Whether it holds'), 'is not');
    expect(page.audience()).toEqual({ all: [{ department: ['1'], below: true }, { not: { any: [{ group: ['8'] }] } }] });
  });
  it('find a manager by a part of the name, among those who lead somebody', async () => {
    const page = await open();
    await page.choose(field(page, 'Condition 1', 'What is asked'), 'in the line of');
    await page.type(page.getByLabelText('Find a manager'), 'zz');
    await waitFor(() => expect(document.body.textContent).toContain('Nobody of this name leads anybody'));
    await page.type(page.getByLabelText('Find a manager'), 'mo');
    await page.click(await findByRole(document.body, 'option', { name: /Ivar Moen/ }));
    expect(page.audience()).toEqual({ all: [{ line: ['77'] }] });
    expect((page.getByLabelText('Find a manager') as HTMLInputElement).value).toBe('');
    expect(page.getByRole('button', { name: 'Take out Ivar Moen' })).toBeTruthy();
  });
  it('take pasted personnel numbers, each once', async () => {
    const page = await open();
    await page.choose(field(page, 'Condition 1', 'What is asked'), 'the number');
    const numbers = page.getByLabelText('Personnel numbers') as HTMLInputElement;
    numbers.value = 'OF-1, OF-2;OF-1\tOF-3';
    numbers.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter' }));
    await page.settle();
    expect(page.audience()).toEqual({ all: [{ number: ['OF-1', 'OF-2', 'OF-3'] }] });
  });
  it('taken away, all of them, leave everyone in', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Remove condition 1' }));
    expect(page.text()).toContain('No condition: everyone is in.');
    expect(page.audience()).toBeNull();
  });
});
