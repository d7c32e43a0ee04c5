import { Component, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { waitFor } from '@testing-library/dom';
import { describe, expect, it, test } from 'vitest';
import { openPage } from '../../../testing/page.ts';
import { DateField } from './date-field.ts';
import { NumberField } from './number-field.ts';
import { filtersOf, SelectField, type Choice } from './select.ts';
import { SuggestField } from './suggest-field.ts';
import { TimeField } from './time-field.ts';
import { zoneChoices } from './zones.ts';

const CHOICES: Choice<unknown>[] = [
  { value: null, label: 'nothing' },
  { value: '', label: 'an empty text' },
  { value: false, label: 'no' },
  { value: 0, label: 'none' },
];

@Component({
  imports: [FormsModule, DateField, NumberField, SelectField, SuggestField, TimeField],
  template: `
    <nk-date label="Day" [ngModel]="day()" (ngModelChange)="day.set($event)" [site]="site()" [disabled]="isOff()" />
    <nk-date label="Before" leaning="back" [ngModel]="before()" (ngModelChange)="before.set($event)" />
    <nk-time label="Time" [ngModel]="time()" (ngModelChange)="time.set($event)" />
    <nk-number label="Number" [ngModel]="number()" (ngModelChange)="number.set($event)" />
    <nk-select label="Choice" [options]="choices" [ngModel]="choice()" (ngModelChange)="choice.set($event)" />
    <nk-select label="Act" [options]="choices" [isAct]="true" [ngModel]="null" (ngModelChange)="acts.push($event)" />
    <nk-suggest label="Text" [options]="['Deck', 'Engine']" [ngModel]="text()" (ngModelChange)="text.set($event)" />
  `,
})
class Pickers {
  readonly choices = CHOICES;
  readonly day = signal<string | null>('2027-03-19');
  readonly before = signal<string | null>(null);
  readonly time = signal<string | null>('09:00');
  readonly number = signal<number | null>(3);
  readonly choice = signal<unknown>(false);
  readonly text = signal('');
  readonly site = signal<string | null>(null);
  readonly isOff = signal(false);
  readonly acts: unknown[] = [];
}

const open = async () => {
  const page = await openPage(Pickers);
  await page.settle();
  const field = (label: string) => page.getByLabelText(label) as HTMLInputElement;
  const write = async (label: string, text: string) => {
    field(label).value = text;
    field(label).dispatchEvent(new Event('input', { bubbles: true }));
    await page.settle();
  };
  const leave = async (label: string) => {
    field(label).dispatchEvent(new Event('blur'));
    await page.settle();
  };
  return { ...page, host: page.fixture.componentInstance, field, write, leave };
};

describe('a date', () => {
  it('stands with its weekday and year, also where it is set from outside', async () => {
    const page = await open();
    expect(page.field('Day').value).toBe('Fri 19 Mar 2027');
    page.host.day.set('2028-02-29');
    await page.settle();
    expect(page.field('Day').value).toBe('Tue 29 Feb 2028');
    page.host.day.set('');
    await page.settle();
    expect(page.field('Day').value).toBe('');
  });
  it('is understood while it is typed, told beside it, and set in order when it is left', async () => {
    const page = await open();
    await page.write('Day', 'in 10 days');
    expect(page.host.day()).toBe('2027-03-11');
    expect(page.field('Day').value).toBe('in 10 days');
    expect(page.text()).toContain('Thu 11 Mar 2027');
    await page.leave('Day');
    expect(page.field('Day').value).toBe('Thu 11 Mar 2027');
  });
  it('lies ahead or back, as its field asks', async () => {
    const page = await open();
    await page.write('Day', '1.2.');
    await page.write('Before', '1.2.');
    expect([page.host.day(), page.host.before()]).toEqual(['2028-02-01', '2027-02-01']);
  });
  it('that is none is never taken for nothing: it goes on as it was typed, and is told when it is left', async () => {
    const page = await open();
    await page.write('Day', '31.6.');
    expect(page.host.day()).toBe('31.6.');
    expect(page.text()).not.toContain('is not a date');
    await page.leave('Day');
    expect(page.text()).toContain('“31.6.” is not a date; write 12.6., 12 Jun 2027, fri, tomorrow or in 10 days.');
    expect(page.field('Day').getAttribute('aria-invalid')).toBe('true');
    await page.write('Day', '');
    expect(page.host.day()).toBe('');
  });
  it('is picked from a calendar that begins the week as the house does and marks the holidays of the site', async () => {
    const page = await open();
    page.host.site.set('3');
    await page.click(page.getByRole('button', { name: 'Calendar: Day' }));
    await page.answer('/api/holidays', [
      { on: '2027-03-26', name: 'Good Friday', siteId: '3', site: 'Tarn Ness' },
      { on: '2027-03-25', name: 'Maundy Thursday', siteId: '4', site: 'Orla Quay' },
    ]);
    const cells = (mark: string) => [...document.querySelectorAll(`.nk-cell.${mark}`)].map((cell) => `${cell.textContent} ${(cell as HTMLElement).title}`.trim());
    await waitFor(() => expect(cells('holiday')).toEqual(['26 Good Friday']));
    expect(cells('today')).toEqual(['1']);
    expect([...document.querySelectorAll('.p-datepicker-weekday')].map((head) => head.textContent?.trim())[0]).toBe('Mo');
    [...document.querySelectorAll<HTMLElement>('.nk-cell')].find((cell) => cell.textContent === '26')!.click();
    await page.settle();
    expect(page.host.day()).toBe('2027-03-26');
    expect(page.field('Day').value).toBe('Fri 26 Mar 2027');
  }); // prettier-ignore
  it('switched off is neither typed nor picked', async () => {
    const page = await open();
    page.host.isOff.set(true);
    await page.settle();
    expect(page.field('Day').disabled).toBe(true);
    expect((page.getByRole('button', { name: 'Calendar: Day' }) as HTMLButtonElement).disabled).toBe(true);
  });
});

describe('a time and a number', () => {
  test.each([
    ['730', '07:30'],
    ['5 pm', '17:00'],
    ['later', 'later'],
  ])('%s is %s', async (typed, value) => {
    const page = await open();
    await page.write('Time', typed);
    await page.leave('Time');
    expect([page.host.time(), page.field('Time').value]).toEqual([value, value]);
  });
  it('a number that is cleared is none', async () => {
    const page = await open();
    await page.type(page.field('Number'), '41');
    expect(page.host.number()).toBe(41);
    await page.type(page.field('Number'), '');
    expect(page.host.number()).toBeNull();
  });
});

describe('choosing', () => {
  it('shows what is chosen, whatever its kind: no, nothing and an empty text are entries as any', async () => {
    const page = await open();
    for (const { value, label } of [...CHOICES, ...CHOICES]) {
      page.host.choice.set(value);
      await page.settle();
      expect(page.getByLabelText('Choice').textContent.trim()).toBe(label);
    }
    await page.choose(page.getByLabelText('Choice'), 'nothing');
    expect(page.host.choice()).toBeNull();
  });
  it('an act may be chosen twice: its field keeps nothing', async () => {
    const page = await open();
    await page.choose(page.getByLabelText('Act'), 'no');
    await page.choose(page.getByLabelText('Act'), 'no');
    expect(page.host.acts).toEqual([false, false]);
    expect(page.getByLabelText('Act').textContent.trim()).toBe('choose');
  });
  it('a text of one’s own is kept as it is typed', async () => {
    const page = await open();
    await page.write('Text', 'Rafts');
    expect(page.host.text()).toBe('Rafts');
  });
  it('entries tell how many people are in; every zone has its name', () => {
    expect(filtersOf([{ name: 'Deck', people: 41 }, { name: 'Yard' }]).map(({ label }) => label)).toEqual(['any', 'Deck (41)', 'Yard']);
    expect(zoneChoices()).toContainEqual({ value: 'Europe/Oslo', label: 'Europe/Oslo (Oslo time)' });
    expect(zoneChoices()[0]).toEqual({ value: 'UTC', label: 'UTC' });
  });
});
