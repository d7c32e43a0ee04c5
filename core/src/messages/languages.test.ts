import { describe, expect, it, test } from 'vitest';
import { allLanguages, LANGUAGE_TAGS, readLanguage, tellLanguage } from '../people/language.ts';
import type { Detour } from '../people/role.ts';
import { aPerson, OSLO as OSLO_DAYS, utc } from '../testing.ts';
import { Calendar } from '../time/calendar.ts';
import { Zone } from '../time/zone.ts';
import { docOf } from './body.ts';
import { tellDownload } from './handout.ts';
import { speechOf, tellLead } from './speech.ts';
import { fieldsNeeded, partsOfMessage, templateFault, wordsOf, type Template } from './template.ts';
import { languageOf, textIn, textsOf, withoutText, withTexts, withWording } from './texts.ts';
import { tellTold } from './told.ts';

const OSLO = Zone.of('Europe/Oslo');
const both: Template = {
  subject: 'About {course}',
  body: 'Hello {given name}',
  button: 'Open',
  plain: 'Hello {given name}.',
  withDate: true,
  texts: { nb: { subject: 'Om {course}', body: 'Hei {given name}, {job}', button: null } },
};

describe('a language', () => {
  test.each([
    ['nb', 'nb'],
    ['NB-no', 'nb'],
    ['no_NO', 'nb'],
    ['Norwegian', 'nb'],
    ['norsk bokmål', 'nb'],
    ['Deutsch', 'de'],
    ['deu', 'de'],
    ['Lithuanian', 'lt'],
    ['lt', 'lt'],
    ['pt-BR', 'pt'],
    ['zz', null],
    ['', null],
    ['none of these', null],
    ['-no', null],
    ['constructor', null],
  ])('%s is read as %s', (text, tag) => expect(readLanguage(text)).toBe(tag));

  it('is told by its name, whether messages are written in it or not', () => {
    expect([tellLanguage('nb'), tellLanguage('lt'), tellLanguage('x!')]).toEqual(['Norwegian', 'Lithuanian', 'x!']);
    const all = allLanguages();
    expect(all.slice(0, LANGUAGE_TAGS.length).map(({ tag }) => tag)).toEqual([...LANGUAGE_TAGS]);
    expect(all.every(({ tag, name }) => readLanguage(tag) === tag && readLanguage(name) !== null)).toBe(true);
  });
});

describe('why a message reaches somebody else', () => {
  const detours: Detour[] = [
    { why: 'left', name: 'Odd' }, { why: 'told', name: 'Odd' }, { why: 'no-cover', name: 'Odd' }, { why: 'covered-by-employee', name: 'Odd' }, { why: 'covers', name: 'Odd', cover: 'Siv' },
    { why: 'cover-told', name: 'Odd', cover: 'Siv' }, { why: 'cover-away', name: 'Odd', cover: 'Siv' }, { why: 'no-manager', level: 2 }, { why: 'nobody-left' }, { why: 'owns', name: 'Odd' }, { why: 'loop' },
  ]; // prettier-ignore
  test.each(LANGUAGE_TAGS)('is told in %s, with everybody by name', (tag) => {
    const speech = speechOf(tag);
    const to = (list: Detour[]): string | null => tellLead(speech, { person: aPerson('siv'), address: null, path: [], detours: list });
    for (const detour of detours) {
      const told = to([detour])!;
      expect(told).not.toMatch(/undefined|null|\$/);
      expect(told.endsWith('.')).toBe(true);
      for (const name of ['name', 'cover'] as const) if (name in detour) expect(told).toContain((detour as Record<string, string>)[name]);
    }
    expect(new Set(detours.map((detour) => to([detour]))).size).toBe(detours.length);
    expect(to([])).toBeNull();
    expect(tellLead(speech, { person: null, address: 'x@y.example', path: ['x'], detours })).toBeNull();
  });
  it('in English is one sentence, as the trace has it', () =>
    expect(tellLead(speechOf('en'), { person: aPerson('siv'), address: null, path: [], detours: detours.slice(0, 2) })).toBe('This reaches you since Odd has left and Odd was told already.')); // prettier-ignore
});

describe('a message in several languages', () => {
  test.each([
    ['of its reader', 'nb', 'en', 'nb'],
    ['of the house where it has none in the reader’s', 'pl', 'en', 'en'],
    ['of the house for who reads as it writes', null, 'en', 'en'],
    ['of the house in a text of its own, once there is one', null, 'nb', 'nb'],
    ['of nobody’s that it only has by chance', 'toString', 'en', 'en'],
  ] as const)('goes in the language %s', (_, wanted, house, language) => expect(languageOf(both, wanted, house)).toBe(language));

  it('has in each what is written there, and what goes with all; each is one object for one question', () => {
    const nb = textIn(both, 'nb');
    expect(nb).toEqual({ subject: 'Om {course}', body: 'Hei {given name}, {job}', button: null, withDate: true });
    expect(textIn(both, 'nb')).toBe(nb);
    expect(textIn(both, 'en')).toEqual({ subject: 'About {course}', body: 'Hello {given name}', button: 'Open', plain: 'Hello {given name}.', withDate: true }); // prettier-ignore
    expect(textIn(nb, 'pl')).toBe(nb);
    expect(fieldsNeeded(nb)).toEqual(['course', 'given name', 'job']);
    expect(fieldsNeeded(textIn(both, null))).not.toContain('job');
    expect(fieldsNeeded(both)).toContain('job');
  });

  it('says in which text something is wrong, and counts the words and parts of all', () => {
    expect(templateFault(both)).toBeNull();
    const wrong: Template = { ...both, texts: { nb: { subject: 'Om', body: 'Hei {given nam}', button: null } } };
    expect(templateFault(wrong)).toBe('In Norwegian: The text uses {given nam}, and there is no such merge field. Did you mean {given name}?'); // prettier-ignore
    expect(wordsOf(both)).toContain('Om {course}');
    const part = { type: 'part' as const, attrs: { onlyIf: { job: ['Bosun'] } }, content: docOf('x').content };
    const parted = withTexts(both, (text) => ({ ...text, body: { type: 'doc' as const, content: [...docOf(text.body).content, part] } }));
    expect(partsOfMessage(parted)).toHaveLength(2);
  });

  it('is changed in one of them, and all else stays', () => {
    const changed = withWording(both, 'nb', { ...textIn(both, 'nb'), subject: 'Nytt', withDate: false });
    expect(changed).toMatchObject({ subject: 'About {course}', plain: both.plain, withDate: false, texts: { nb: { subject: 'Nytt' } } });
    const first = withWording(both, null, { ...textIn(both, null), subject: 'New' });
    expect([first.subject, first.texts]).toEqual(['New', both.texts]);
    expect(withWording({ subject: 'a', body: 'b', button: null }, null, { subject: 'c', body: 'b', button: null })).toEqual({ subject: 'c', body: 'b', button: null }); // prettier-ignore
    expect('texts' in withoutText(both, 'nb')).toBe(false);
    expect(textsOf(both).map(({ language }) => language)).toEqual([null, 'nb']);
  });
});

describe('what stands in a message beside the words of its author', () => {
  const now = utc('2027-03-17T16:00');
  const due = utc('2027-03-19T16:00');
  const said = (language: (typeof LANGUAGE_TAGS)[number], at = due): string[] => {
    const speech = speechOf(language);
    return [
      speech.moment(at, OSLO, now),
      speech.distance(now, at, OSLO),
      speech.near(now, at, OSLO),
      speech.workingDistance(now, at, new Calendar(OSLO_DAYS)),
    ];
  };

  it('is told as each language tells it', () => {
    expect(said('en')).toEqual(['Fri 19 Mar 17:00', 'in 2 days', 'on Fri 19 Mar at 17:00', 'in 2 working days']);
    expect(said('nb')).toEqual(['fre. 19. mars 17:00', 'om 2 døgn', 'fre. 19. mars kl. 17:00', 'om 2 arbeidsdager']);
    expect(said('de', utc('2027-03-18T16:00'))).toEqual(['Do., 18. März 17:00', 'in 1 Tag', 'morgen um 17:00', 'in 1 Arbeitstag']);
    expect(said('pl').at(-1)).toBe('za 2 dni robocze');
    expect(speechOf('pl').units(5)).toBe('5 części');
    expect(speechOf('fr').result(82, false)).toBe('82 %, non réussi');
  });

  test.each(LANGUAGE_TAGS)('in %s is whole for every moment, amount and state', (language) => {
    const speech = speechOf(language);
    const words = [-400, -30, -2, -1, 0, 1, 2, 5, 40, 500].flatMap((days) => said(language, now + days * 86_400_000 + 3_600_000));
    const told = (state: object) => tellTold({ at: null, hasBounced: false, waitsFor: null, ...state } as never, OSLO, now, speech);
    words.push(
      ...[0, 1, 2, 5, 12, 22].flatMap((n) => [speech.units(n), speech.unitsOf(0, n), speech.workingDays(n, true), speech.workingDays(n, false)]),
      ...Object.values(speech.columns), ...Object.values(speech.outcomes), ...speech.submissions, speech.noExpiry, speech.waitsForMarking,
      speech.timesAre('Oslo'), speech.footer('Training', 'Orlasund', null), speech.footer('Training', 'Orlasund', 'Tora Hauge'), speech.date(20_000),
      ...Object.keys(speech.holds).map((waitsFor) => told({ waitsFor })), told({}), told({ at: now }), told({ at: now, hasBounced: true }),
      ...[null, 1, 3].flatMap((times) => [24, 72, 5].map((hours) => tellDownload({ handout: '1', as: 'download', hours, times, mayAsk: true }, 2_000, speech))),
    ); // prettier-ignore
    for (const one of words) {
      expect(one.trim()).not.toBe('');
      expect(one).not.toMatch(/undefined|null|NaN|\{|\}|Invalid/);
    }
  });
});
