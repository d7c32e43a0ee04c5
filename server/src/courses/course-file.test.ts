import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { CourseDraft, type CourseInput } from '@nudrik/contract';
import { NEW_QUIZ, newQuestion, newSurveyQuestion } from '@nudrik/core';
import { transaction } from '../db/db.ts';
import { makePdf, PIXEL } from '../files/made-files.ts';
import { findFile } from '../files/files.repo.ts';
import { keepPacked, quizPackage, readQti } from '../quizzes/qti.ts';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { courseFile, markdownOf, takeCourseFile } from './course-file.ts';
import { createCourse, readDraft } from './draft.ts';

let house: TestHouse;
let course: string;
let files: { picture: string; pdf: string };
beforeAll(async () => {
  house = await openTestHouse();
  const pdf = await makePdf();
  files = await transaction(house.db, async (client) => ({ picture: (await keepPacked(client, 'ship.png', PIXEL))!, pdf: (await keepPacked(client, 'card.pdf', pdf))! })); // prettier-ignore
  course = await createCourse(house.deps, CourseDraft.parse(DRAFT()), 'Tora Aske');
});
afterAll(() => house.close());

const unit = (kind: string, title: string, rest: object = {}) => ({ id: `new-${title.toLowerCase().replace(/\W/g, '')}`, kind, title, required: true, weight: 1, ...rest }); // prettier-ignore
const DRAFT = (): CourseInput => ({
  title: 'Ring & Raft: “the drill”',
  code: 'SAF-9',
  summary: 'Two lines\nof it: # no heading',
  validity: { count: 12, unit: 'months', toMonthEnd: false },
  certificate: 'issued',
  asks: 'course',
  finish: { kind: 'some', units: 2 },
  sections: [
    {
      title: 'First: at sea',
      units: [
        unit('page', 'Read', { body: `<h2>Rings</h2><p>Throw <strong>hard</strong>, <u>then</u> point. 1 &lt; 2 &amp; [no link](x) *no star*</p><ul><li><p>one</p></li><li><p>two</p></li></ul><table><tbody><tr><th><p>A</p></th><td colspan="2"><p>B</p></td></tr></tbody></table><aside class="danger"><p>Never alone.</p></aside><p><img src="/api/files/${files.picture}" alt="the ship" /></p><blockquote><p>Said.</p></blockquote>` }),
        unit('link', 'Guidance', { url: 'https://water-safety.example/cold', required: false, weight: 0 }),
        unit('file', 'Card', { fileId: files.pdf, release: { kind: 'after', amount: 2, unit: 'days', at: '08:00' } }),
      ],
    },
    {
      title: 'First: at sea',
      units: [
        unit('quiz', 'Test', { quiz: { ...NEW_QUIZ, draw: 1, questions: [{ ...newQuestion('truth', 'qa'), text: `<p>True?<img src="/api/files/${files.picture}" alt="" /></p>`, isTrue: true }, { ...newQuestion('order', 'qb'), text: '<p>Order.</p>', items: ['Alarm', 'Muster'] }] } }),
        unit('survey', 'Asked', { release: { kind: 'passed', unit: 'new-test' }, survey: { isAnonymous: false, questions: [{ ...newSurveyQuestion('scale', 's1'), text: 'Clear?' }] } }),
      ],
    },
  ],
}) as unknown as CourseInput; // prettier-ignore

/** A draft with files by what is in them, and units by their place: so two of them can be compared. */
async function told(id: string): Promise<unknown> {
  const { content } = await readDraft(house.db, id);
  const places = new Map(content.sections.flatMap(({ units }) => units).map((one, i) => [one.id!, `unit ${i}`]));
  const ids = [...new Set([...JSON.stringify(content).matchAll(/\/api\/files\/(\d+)|"fileId":"(\d+)"/g)].map(([, a, b]) => a ?? b!))];
  const byContent = new Map<string, string>();
  for (const file of ids) byContent.set(file, (await findFile(house.db, file))!.content.toString('base64').slice(0, 80));
  const { title: _title, code: _code, ...rest } = content;
  const text = JSON.stringify({ ...rest, sections: content.sections.map((section) => ({ ...section, id: null, units: section.units.map((one) => ({ ...one, id: places.get(one.id!), release: (one.release?.kind === 'finished' || one.release?.kind === 'passed') ? { ...one.release, unit: places.get(one.release.unit) } : one.release })) })) }); // prettier-ignore
  return JSON.parse(text.replace(/\/api\/files\/(\d+)|"fileId":"(\d+)"/g, (_, a?: string, b?: string) => byContent.get(a ?? b!)! && (a ? `file ${byContent.get(a)}` : `"fileId":"${byContent.get(b!)}"`))); // prettier-ignore
}

describe('a course as a file', () => {
  it('comes back as it was', async () => {
    const { content, name } = await courseFile(house.db, course);
    expect(name).toBe('Ring & Raft: “the drill”.zip');
    const taken = await takeCourseFile(house.deps, content, name, null, 'Tora Aske');
    expect(taken).toMatchObject({
      title: 'Ring & Raft: “the drill” (2)',
      left: ['The code SAF-9 belongs to another course; this one has none yet.', expect.stringContaining('There is a course')],
    });
    expect(await told(taken.id)).toEqual(await told(course));
    // and once more, which is the same file but for its title
    const again = await courseFile(house.db, taken.id);
    const texts = (zip: Buffer): Record<string, string> => Object.fromEntries(Object.entries(unzipSync(zip)).filter(([path]) => /\d\d-.*\.md$/.test(path)).map(([path, bytes]) => [path, strFromU8(bytes).replace(/media\/\d+/g, 'media/n')])); // prettier-ignore
    expect(texts(again.content)).toEqual(texts(content));
  });

  it('is text that one can read', async () => {
    const pack = unzipSync((await courseFile(house.db, course)).content);
    const page = strFromU8(pack['01-first-at-sea/01-read.md']!);
    expect(page).toMatch(/^---\nkey: u1\nkind: page\ntitle: Read\nrequired: true\nweight: 1\n---\n## Rings\n/);
    expect(page).toContain('![the ship](../media/');
    expect(page).toContain('<aside class="danger">');
    expect(Object.keys(pack)).toContain('02-first-at-sea/01-test/qa.xml');
    expect(strFromU8(pack['02-first-at-sea/02-asked.md']!)).toContain('unit: u4');
  });

  const changed = (change: (pack: Record<string, Uint8Array>) => void): Promise<unknown> =>
    courseFile(house.db, course).then(({ content }) => {
      const pack = unzipSync(content);
      change(pack);
      return takeCourseFile(house.deps, zipSync(pack), 'raft.zip', null, 'Tora Aske');
    });
  test.each<[string, (pack: Record<string, Uint8Array>) => void, RegExp]>([
    ['without its head', (pack) => delete pack['course.md'], /raft\.zip: it is no course: course\.md is not in it/],
    ['of another format', (pack) => (pack['course.md'] = strToU8('---\nformat: other/2\n---\n')), /of the format "other\/2"; expected nudrik-course\/1/],
    ['with broken front matter', (pack) => (pack['01-first-at-sea/01-read.md'] = strToU8('---\na: [\n---\n')), /01-first-at-sea\/01-read\.md has front matter that is no YAML/],
    ['without front matter', (pack) => (pack['01-first-at-sea/01-read.md'] = strToU8('# Hi')), /01-read\.md has no front matter/],
    ['with a kind that there is not', (pack) => (pack['01-first-at-sea/01-read.md'] = strToU8('---\nkind: film\ntitle: X\n---\n')), /expected .*film|Invalid option|kind/],
    ['with aliases that grow', (pack) => (pack['course.md'] = strToU8('---\na: &a [x]\nb: [*a, *a]\n---\n')), /no YAML/],
  ])('%s is refused, and nothing is made', async (_, change, words) => {
    const before = await house.db.query('select (select count(*) from courses) as courses, (select count(*) from files) as files');
    await expect(changed(change)).rejects.toThrow(words);
    expect((await house.db.query('select (select count(*) from courses) as courses, (select count(*) from files) as files')).rows).toEqual(before.rows);
  }); // prettier-ignore

  it('says what could not be taken over, and brings nothing that runs', async () => {
    const taken = (await changed((pack) => {
      for (const path of Object.keys(pack)) if (path.endsWith('.pdf')) pack[path] = strToU8('<html><script>1</script></html>');
      delete pack['02-first-at-sea/01-test/qb.xml'];
      pack['01-first-at-sea/01-read.md'] = strToU8(
        '---\nkind: page\ntitle: Read\n---\nHi <script>alert(1)</script> <img src="https://elsewhere.example/x.png">\n',
      );
    })) as { id: string; left: string[] };
    expect(taken.left).toEqual(expect.arrayContaining([expect.stringMatching(/card\.pdf is no file that a course may hold/), '02-first-at-sea/01-test/qb.xml is not in it.'])); // prettier-ignore
    const { content } = await readDraft(house.db, taken.id);
    expect(content.sections[0]!.units[0]!.body).toBe('<p>Hi  </p>');
  });
});

describe('a page as Markdown', () => {
  test.each([
    ['<p>Plain.</p>', 'Plain.\n'],
    ['<h2>A</h2><p>B</p>', '## A\n\nB\n'],
    ['<p><u>under</u></p>', '<p><u>under</u></p>\n'],
    ['', '\n'],
  ])('%s', (html, text) => expect(markdownOf(html)).toBe(text));
});

describe('a quiz as a package', () => {
  it('comes back with its pictures', async () => {
    const { content } = await readDraft(house.db, course);
    const test = content.sections[1]!.units[0]!;
    const pack = await quizPackage(house.db, course, test.id!);
    const { questions, faults } = await readQti(house.deps, pack.content, pack.name);
    expect(faults).toEqual([]);
    expect(questions.map(({ kind }) => kind)).toEqual(['truth', 'order']);
    expect(questions[0]!.text).toMatch(/<img src="\/api\/files\/\d+"/);
  });

  it('names what cannot be read and takes the rest', async () => {
    const pack = unzipSync(
      (await quizPackage(house.db, course, (await readDraft(house.db, course)).content.sections[1]!.units[0]!.id!)).content,
    );
    const { questions, faults } = await readQti(house.deps, zipSync({ ...pack, 'items/x.xml': strToU8('<assessmentItem/>') }), 'a.zip');
    expect([questions.length, faults]).toEqual([2, [{ item: 'items/x.xml', words: expect.stringContaining('no item of QTI 3.0') }]]);
    await expect(readQti(house.deps, zipSync({ 'a.txt': strToU8('x') }), 'a.zip')).rejects.toThrow('it holds no item');
  });
});
