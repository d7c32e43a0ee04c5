import { describe, expect, it, vi } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { SiteCalendar } from './site-calendar.ts';

const SITE = {
  id: '3', name: 'Tarn Ness', zone: 'Europe/London', workingDays: [1, 2, 3, 4, 5], people: 29,
  holidays: [{ on: '2027-01-01', name: 'New Year’s Day' }, { on: '2027-03-26', name: 'Good Friday' }, { on: '2028-01-01', name: 'New Year’s Day' }],
}; // prettier-ignore
const open = (role: 'administrator' | 'auditor' = 'administrator') => openPage(SiteCalendar, { inputs: { site: SITE }, role });
const dates = (page: Awaited<ReturnType<typeof open>>): string[] =>
  page
    .queryAllByLabelText(/^Date of (?!a new)/)
    .map((input) => `${(input as HTMLInputElement).value} ${input.getAttribute('aria-label')!.slice(8)}`);

describe('a site’s holidays', () => {
  it('stand by year, each with its weekday', async () => {
    const page = await open();
    expect(dates(page)).toEqual(['Fri 1 Jan 2027 New Year’s Day', 'Fri 26 Mar 2027 Good Friday']);
    await page.click(page.getByRole('button', { name: '2029' }));
    expect(page.text()).toContain('No holiday in 2029 yet.');
  });
  it('are copied to the next year, where what is there stays and feasts that move are marked', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Copy to 2028' }));
    expect(dates(page)).toEqual(['Sat 1 Jan 2028 New Year’s Day', 'Sun 26 Mar 2028 Good Friday']);
    expect(page.getAllByText('moves from year to year: set its date')).toHaveLength(1);
    await page.type(page.getByLabelText('Date of Good Friday'), '2028-04-14');
    expect(page.queryByText('moves from year to year: set its date')).toBeNull();
    await page.click(page.getByRole('button', { name: 'Save 2028' }));
    const { body } = await page.answer('/api/people/sites/3/holidays', {});
    expect(body).toEqual({
      year: 2028,
      holidays: [
        { on: '2028-01-01', name: 'New Year’s Day' },
        { on: '2028-04-14', name: 'Good Friday' },
      ],
    });
    expect(page.getByRole('status').textContent).toContain('Notices of 29 people at Tarn Ness are planned anew');
  });
  it('keep their field while a date is typed', async () => {
    const page = await open();
    const field = page.getByLabelText('Date of Good Friday');
    await page.type(field, '2027-03-02');
    expect(page.getByLabelText('Date of Good Friday')).toBe(field);
  });
  it('are read from a file; what is passed over is named, and nothing is saved yet', async () => {
    const page = await open();
    const input = page.getByLabelText('iCalendar file') as HTMLInputElement;
    Object.defineProperty(input, 'files', { value: [new File(['BEGIN:VCALENDAR'], 'ness.ics')] });
    input.dispatchEvent(new Event('change'));
    await page.settle();
    await page.answer('/api/people/holidays/read?fileName=ness.ics&from=2027&to=2027', { holidays: [{ on: '2027-06-15', name: 'Ness Day' }, { on: '2027-01-01', name: 'New Year' }], passedOver: ['Staff dinner: not a whole day'] });
    expect(page.getByRole('status').textContent).toContain('ness.ics: 2 whole days in 2027, 1 of them new.');
    expect(page.text()).toContain('Passed over: Staff dinner: not a whole day');
    expect(dates(page)).toContain('Tue 15 Jun 2027 Ness Day');
    expect(page.waiting()).toEqual([]);
  }); // prettier-ignore
  it('added to another year show that year; removed ones are gone at saving', async () => {
    const page = await open();
    const saved = vi.fn();
    page.fixture.componentInstance.saved.subscribe(saved);
    await page.type(page.getByLabelText('Date of a new holiday'), '2028-05-01');
    await page.type(page.getByLabelText('Name of a new holiday'), 'Labour Day');
    await page.click(page.getByRole('button', { name: 'Add' }));
    expect(dates(page)).toEqual(['Sat 1 Jan 2028 New Year’s Day', 'Mon 1 May 2028 Labour Day']);
    await page.click(page.getByRole('button', { name: 'Remove New Year’s Day' }));
    await page.click(page.getByRole('button', { name: 'Save 2028' }));
    await page.refuse('/api/people/sites/3/holidays', { code: 'wrong-input', message: 'holidays: no.' }, 400);
    expect(page.getByRole('alert').textContent).toBe('holidays: no.');
    await page.click(page.getByRole('button', { name: 'Save 2028' }));
    expect((await page.answer('/api/people/sites/3/holidays', {})).body).toEqual({
      year: 2028,
      holidays: [{ on: '2028-05-01', name: 'Labour Day' }],
    });
    expect(saved).toHaveBeenCalledTimes(1);
  });
  it('that are being changed outlive news of the site and a look at another year', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Remove Good Friday' }));
    await page.set({ site: { ...SITE, people: 30 } });
    expect(dates(page)).toEqual(['Fri 1 Jan 2027 New Year’s Day']);
    await page.click(page.getByRole('button', { name: '2028' }));
    expect(dates(page)).toEqual(['Sat 1 Jan 2028 New Year’s Day']);
    await page.click(page.getByRole('button', { name: '2027 *' }));
    expect(dates(page)).toEqual(['Fri 1 Jan 2027 New Year’s Day']);
    // another site is another calendar
    await page.set({ site: { ...SITE, id: '4', holidays: [] } });
    expect(dates(page)).toEqual([]);
  });
  it('are only read by an auditor', async () => {
    const page = await open('auditor');
    expect(page.text()).toContain('26 Mar 2027');
    expect(page.queryByRole('textbox')).toBeNull();
  });
});
