import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { tellDate, tellDay } from './words.ts';
import { addDays, dateOf, dayOf, isKept } from './calendar.ts';
import { readTypedDate, readTypedTime, type Leaning } from './typed.ts';

const TODAY = '2027-03-03'; // a Wednesday

describe('a date as people type it', () => {
  test.each<[string, string, Leaning?]>([
    ['2027-06-12', '2027-06-12'],
    ['2027/6/2', '2027-06-02'],
    ['12.6.', '2027-06-12'],
    ['12.6', '2027-06-12'],
    ['12/6', '2027-06-12'],
    ['12.6.27', '2027-06-12'],
    ['12. 6. 2027', '2027-06-12'],
    ['1.2.', '2028-02-01'],
    ['1.2.', '2027-02-01', 'back'],
    ['3.3.', '2027-03-03'],
    ['3.3.', '2027-03-03', 'back'],
    ['29.2.', '2028-02-29'],
    ['12 jun', '2027-06-12'],
    ['12 June 2027', '2027-06-12'],
    ['June 12, 2027', '2027-06-12'],
    ['12. juni', '2027-06-12'],
    ['3rd mar', '2027-03-03'],
    ['Sat 12 Jun 2027', '2027-06-12'],
    ['today', '2027-03-03'],
    ['Tomorrow', '2027-03-04'],
    ['yesterday', '2027-03-02'],
    ['fri', '2027-03-05'],
    ['Friday', '2027-03-05'],
    ['wed', '2027-03-10'],
    ['wednesday', '2027-02-24', 'back'],
    ['tues', '2027-03-09'],
    ['fri', '2027-02-26', 'back'],
    ['in 10 days', '2027-03-13'],
    ['10 days', '2027-03-13'],
    ['+10', '2027-03-13'],
    ['in a week', '2027-03-10'],
    ['2 weeks ago', '2027-02-17'],
    ['in 3 months', '2027-06-03'],
    ['1y', '2028-03-03'],
  ])('%s is %s', (text, date, leaning) => expect(readTypedDate(text, TODAY, leaning)).toEqual({ kind: 'value', value: date }));

  test.each(['31.6.', '12.13.', 'soon', '10', '2027-02-29', '12 junk 2027 x', 'friction', 'in 10 days ago', '1.1.1'])('%s is not one', (text) =>
    expect(readTypedDate(text, TODAY)).toMatchObject({ kind: 'unread', words: expect.stringContaining(`“${text}” is not a date; write 12.6.`) as unknown }),
  ); // prettier-ignore

  it('keeps to the years of the house, and says so', () => {
    expect(readTypedDate('1.1.9999', TODAY)).toEqual({ kind: 'unread', words: '“1.1.9999” is not a year from 1970 to 2199.' });
    expect(readTypedDate('in 99999 years', TODAY)).toEqual({ kind: 'unread', words: '“in 99999 years” is not a year from 1970 to 2199.' });
    expect(readTypedDate('  ', TODAY)).toEqual({ kind: 'empty' });
  });

  it('reads every date that is told in words, and whatever else it reads is a date of the house', () => {
    fc.assert(
      fc.property(fc.integer({ min: -200, max: 9_000 }), (away) => {
        const date = addDays(TODAY, away);
        expect(readTypedDate(tellDate(dayOf(date)), TODAY)).toEqual({ kind: 'value', value: date });
        expect(readTypedDate(tellDay(dayOf(date), dayOf('1990-01-01')), TODAY)).toEqual({ kind: 'value', value: date });
      }),
    );
    fc.assert(
      fc.property(fc.stringMatching(/^[0-9a-z./ +-]{0,14}$/), fc.constantFrom<Leaning>('ahead', 'back'), (text, leaning) => {
        const typed = readTypedDate(text, TODAY, leaning);
        if (typed.kind === 'value') expect(isKept(typed.value) && dateOf(dayOf(typed.value)) === typed.value).toBe(true);
      }),
    );
  });
});

describe('a time as people type it', () => {
  test.each([
    ['9', '09:00'],
    ['930', '09:30'],
    ['0930', '09:30'],
    ['9:30', '09:30'],
    ['17.00', '17:00'],
    ['9h15', '09:15'],
    ['5 pm', '17:00'],
    ['12am', '00:00'],
    ['12:30pm', '12:30'],
    ['00:00', '00:00'],
  ])('%s is %s', (text, time) => expect(readTypedTime(text)).toEqual({ kind: 'value', value: time }));

  test.each(['24:00', '9:60', 'noonish', '13 pm', '-1'])('%s is not one', (text) =>
    expect(readTypedTime(text)).toEqual({ kind: 'unread', words: `“${text}” is not a time of day; write 9, 9:30 or 17:00.` }),
  );
});
