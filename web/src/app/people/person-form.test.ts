import { findAllByRole } from '@testing-library/dom';
import { describe, expect, it, vi } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { PersonForm, type PersonDraft } from './person-form.ts';
import { PersonPick } from './person-pick.ts';

const RUNA: PersonDraft = { id: '4', name: 'Runa Aske', email: 'runa@orlasund.example', personnelNumber: 'OF-1', department: 'Deck', siteId: '5', job: 'Deckhand', language: '', chatName: '', joinedOn: '2023-03-07', leftOn: '' }; // prettier-ignore
const open = async (draft: PersonDraft) => {
  const page = await openPage(PersonForm, { inputs: { draft } });
  await page.answer('/api/people/facets', { departments: [{ name: 'Deck', people: 3 }], groups: [], sites: [{ id: '5', name: 'Orla Quay', zone: 'Europe/Oslo', people: 3 }] }); // prettier-ignore
  const saved = vi.fn();
  page.fixture.componentInstance.saved.subscribe(saved);
  return { ...page, saved };
};

describe('a person’s facts', () => {
  it('are changed; what is emptied is nothing, and dates are said again', async () => {
    const page = await open(RUNA);
    expect((page.getByLabelText('Joined on') as HTMLInputElement).value).toBe('Tue 7 Mar 2023');
    await page.type(page.getByLabelText('Job title'), '  ');
    await page.type(page.getByLabelText(/^Left on/), '2027-04-01');
    expect((page.getByLabelText(/^Left on/) as HTMLInputElement).value).toBe('Thu 1 Apr 2027');
    await page.click(page.getByRole('button', { name: 'Save' }));
    const { method, body } = await page.answer('/api/people/4', {});
    expect(method).toBe('PATCH');
    expect(body).toMatchObject({ name: 'Runa Aske', job: null, joinedOn: '2023-03-07', leftOn: '2027-04-01', siteId: '5' });
    expect(page.saved).toHaveBeenCalledWith('4');
  });
  it('of somebody new are added', async () => {
    const page = await open({ ...RUNA, id: null });
    await page.click(page.getByRole('button', { name: 'Add to the roster' }));
    expect((await page.answer('/api/people', { id: '77' })).method).toBe('POST');
    expect(page.saved).toHaveBeenCalledWith('77');
  });
  it('that are refused say why, and nothing typed is lost', async () => {
    const page = await open(RUNA);
    await page.type(page.getByLabelText('E-mail'), 'odd@orlasund.example');
    await page.click(page.getByRole('button', { name: 'Save' }));
    await page.refuse('/api/people/4', { code: 'conflict', message: 'odd@orlasund.example belongs to Odd Nes.' });
    expect(page.getByRole('alert').textContent).toBe('odd@orlasund.example belongs to Odd Nes.');
    expect((page.getByLabelText('E-mail') as HTMLInputElement).value).toBe('odd@orlasund.example');
    expect(page.saved).not.toHaveBeenCalled();
  });
});

describe('finding a person', () => {
  const hit = (id: string, name: string) => ({ id, name, job: null, department: 'Deck', site: 'Orla Quay' });
  it('while somebody types; the one who cannot be chosen is left out', async () => {
    const page = await openPage(PersonPick, { inputs: { label: 'Manager', except: '4' } });
    const picked = vi.fn();
    page.fixture.componentInstance.picked.subscribe(picked);
    await page.type(page.getByLabelText('Manager'), 'a');
    expect(page.waiting()).toEqual([]);
    await page.type(page.getByLabelText('Manager'), 'aske');
    await page.answer('/api/people?find=aske&sort=fit&size=12', { rows: [hit('4', 'Runa Aske'), hit('5', 'Per Aske')], total: 2 });
    const offered = await findAllByRole(document.body, 'option');
    expect(offered.map((option) => option.textContent)).toEqual(['Per Aske Deck, Orla Quay']);
    await page.click(offered[0]!);
    expect(picked).toHaveBeenCalledWith(expect.objectContaining({ id: '5' }));
    expect((page.getByLabelText('Manager') as HTMLInputElement).value).toBe('');
  });
});
