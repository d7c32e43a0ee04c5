import { HttpErrorResponse } from '@angular/common/http';
import { Component } from '@angular/core';
import { describe, expect, it, test } from 'vitest';
import { openPage } from '../../testing/page.ts';
import { KindMark } from './kind-mark.ts';
import { DayPipe, MomentPipe, zoneWords } from './moment.pipe.ts';
import { Outcome } from './outcome.ts';
import { paramsOf } from './params.ts';
import { sentenceOf } from './refusal.ts';
import { State } from './state.ts';

describe('what went wrong is told', () => {
  test.each<[string, unknown, RegExp]>([
    ['in the server’s sentence', new HttpErrorResponse({ status: 409, error: { code: 'conflict', message: 'Somebody was quicker.' } }), /^Somebody was quicker\.$/],
    ['when it does not answer', new HttpErrorResponse({ status: 0 }), /does not answer.*tried again/],
    ['when it answers without a sentence', new HttpErrorResponse({ status: 502, error: null }), /answered 502\. Nothing was changed/],
    ['when the page itself is at fault, without a word of the fault', new TypeError('x is not a function'), /^Something went wrong on this page/],
  ])('%s', (_, error, words) => expect(sentenceOf(error)).toMatch(words)); // prettier-ignore
});

test('what is empty is not sent along', () =>
  expect(paramsOf({ find: '', page: 0, department: null, site: undefined, isLate: false })).toEqual({ page: '0', isLate: 'false' }));

test.each([
  ['Europe/Oslo', 'Oslo time'],
  ['America/Argentina/Buenos_Aires', 'Buenos Aires time'],
])('%s is %s', (zone, words) => expect(zoneWords(zone)).toBe(words));

@Component({
  imports: [DayPipe, MomentPipe, KindMark, Outcome, State],
  template: `
    <p data-testid="moment">{{ '2027-03-28T07:00:00Z' | moment }}</p>
    <p data-testid="there">{{ '2027-03-28T07:00:00Z' | moment: 'moment' : 'Europe/London' }}</p>
    <p data-testid="date">{{ '2027-03-27T23:30:00Z' | moment: 'date' }}</p>
    <p data-testid="time">{{ '2027-03-27T23:30:00Z' | moment: 'time' }}</p>
    <p data-testid="none">{{ null | moment }}{{ undefined | day }}</p>
    <p data-testid="day">{{ '2027-05-17' | day }}</p>
    <nk-kind kind="late" /><nk-kind kind="unheard of" />
    <p data-testid="skipped"><nk-outcome state="skipped" because="no-recipient" /></p>
    <p data-testid="delivered"><nk-outcome state="delivered" because="finished" /></p>
    <p data-testid="unknown"><nk-outcome state="held" because="a reason of tomorrow" /></p>
    <nk-state state="overdue" />
  `,
})
class Words {}

describe('words on a page', () => {
  it('tell moments in the house’s zone, or another, across the change of clocks and midnight', async () => {
    const page = await openPage(Words);
    const said = (id: string) => page.getByTestId(id).textContent;
    expect([said('moment'), said('there')]).toEqual(['Sun 28 Mar 09:00', 'Sun 28 Mar 08:00']);
    expect([said('date'), said('time')]).toEqual(['28 Mar 2027', '00:30']);
    expect(said('none')).toBe('');
  });
  it('tell a day with its weekday', async () => {
    const page = await openPage(Words);
    const said = (id: string) => page.getByTestId(id).textContent;
    expect(said('day')).toBe('Mon 17 May');
  });
  it('mark a kind by a letter with its name, and never by colour alone', async () => {
    const page = await openPage(Words);
    expect(page.getByRole('img', { name: 'late' }).textContent).toBe('L');
    expect(page.getByRole('img', { name: 'unheard of' }).textContent).toBe('?');
  });
  it('say why a notice did not go; one that went needs no reason', async () => {
    const page = await openPage(Words);
    expect(page.getByTestId('skipped').textContent).toBe('not sent: nobody to tell');
    expect(page.getByTestId('delivered').textContent).toBe('delivered');
    expect(page.getByTestId('unknown').textContent).toBe('held: a reason of tomorrow');
    expect(page.getByText('overdue').className).toBe('late');
  });
});
