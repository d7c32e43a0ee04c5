import { randomUUID } from 'node:crypto';
import { DOMParser, XMLSerializer } from '@xmldom/xmldom';
import { strFromU8, strToU8, zipSync } from 'fflate';
import { marked } from 'marked';
import TurndownService from 'turndown';
import { parse as parseYaml, stringify as yamlOf } from 'yaml';
import { CourseDraft, tellIssues, type CourseTaken } from '@nudrik/contract';
import { tellBytes, type Question, type UnitKind } from '@nudrik/core';
import { transaction, type Client, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { findFile, findFileHead } from '../files/files.repo.ts';
import { keepPacked, packPictures, packQuiz, readPack, unpackPictures, type Pack } from '../quizzes/qti.ts';
import { readItem } from '../quizzes/qti.read.ts';
import { Refused } from '../refusal.ts';
import { createCourseIn, readDraft, twinFault } from './draft.ts';
import { cleanPage } from './page.ts';

/** Bytes that a course may have as a file: it is made and read at once, in memory. */
export const COURSE_FILE_LIMIT = 100 * 1024 * 1024;
/** The edition of the file, in its front matter. */
const FORMAT = 'nudrik-course/1';
const HEAD = 'course.md';

type Unit = CourseDraft['sections'][number]['units'][number];

/** What a page is without the line breaks by which a text is laid out. */
const flat = (html: string): string => cleanPage(html).replace(/>\n+</g, '><').replace(/\n+$/, '').replace(/^\n+/, '');

const turndown = new TurndownService({ headingStyle: 'atx', bulletListMarker: '-', codeBlockStyle: 'fenced', emDelimiter: '*' });
const htmlOf = (text: string): string => flat(marked.parse(text, { async: false, gfm: true }));

/** The blocks of a page, each by itself. */
function blocksOf(html: string): string[] {
  const root = new DOMParser({ errorHandler: () => undefined } as never).parseFromString(`<page>${html}</page>`, 'text/xml').documentElement as Element | null; // prettier-ignore
  if (!root) return [html];
  return Array.from(root.childNodes).map((node) => new XMLSerializer().serializeToString(node as Element));
}

/** A page as Markdown. What Markdown has no way to say stands in it as HTML, so that it comes back as it was. */
export function markdownOf(body: string): string {
  const html = flat(body);
  const text = blocksOf(html)
    .map((block) => {
      const one = flat(block);
      const written = turndown.turndown(one).trim();
      return htmlOf(written) === one ? written : one;
    })
    .join('\n\n');
  return htmlOf(text) === html ? `${text}\n` : `${html}\n`;
}

/** Files of before said months alone. */
const validityOf = (head: Record<string, unknown>): unknown => {
  const { validity, validityMonths } = head;
  return validity === undefined && typeof validityMonths === 'number' ? { count: validityMonths, unit: 'months' } : validity;
};
const slug = (title: string): string => title.toLowerCase().normalize('NFKD').replace(/[^a-z0-9]+/g, '-').replace(/^-+|-+$/g, '').slice(0, 50) || 'unit'; // prettier-ignore
const two = (n: number): string => String(n + 1).padStart(2, '0');
const withHead = (head: object, body = ''): Uint8Array => strToU8(`---\n${yamlOf(head, { lineWidth: 0 })}---\n${body}`);

/** A course as it is written, as a zip: Markdown with front matter, media, quizzes as items of QTI. */
export async function courseFile(db: Queryable, courseId: string): Promise<{ name: string; content: Buffer }> {
  const { content } = await readDraft(db, courseId);
  const pack: Pack = {};
  let bytes = 0;
  const tooLarge = (): Refused => new Refused('too-large', `The files of “${content.title}” have more than ${tellBytes(COURSE_FILE_LIMIT)} together, which is the most for a course as a file. Take out its films, and download them one by one; nothing was made.`); // prettier-ignore
  const keys = new Map(content.sections.flatMap(({ units }) => units).map(({ id }, i) => [id, `u${i + 1}`]));
  const { title, code, summary, validity, certificate, asks, finish } = content;
  pack[HEAD] = withHead({ format: FORMAT, title, code, summary, validity, certificate, asks, finish });
  for (const [s, section] of content.sections.entries()) {
    const folder = `${two(s)}-${slug(section.title)}/`;
    pack[`${folder}section.md`] = withHead({ title: section.title });
    for (const [u, unit] of section.units.entries()) {
      const path = `${folder}${two(u)}-${slug(unit.title)}`;
      pack[`${path}.md`] = await unitFile(unit, path);
    }
  }
  return { name: `${title || 'A course'}.zip`, content: zipped(pack) };

  async function unitFile(unit: Unit, path: string): Promise<Uint8Array> {
    const { release } = unit;
    const head = {
      key: keys.get(unit.id),
      kind: unit.kind,
      title: unit.title,
      required: unit.required,
      weight: unit.weight,
      ...(release && { release: release.kind === 'finished' || release.kind === 'passed' ? { ...release, unit: keys.get(release.unit) ?? release.unit } : release }), // prettier-ignore
      ...(unit.url && { url: unit.url }),
      ...(unit.fileId && { file: await mediaOf(unit.fileId) }),
      ...(unit.video && { video: { ...unit.video, captions: await captionsOf(unit.video.captions) } }),
      ...(unit.survey && { survey: unit.survey }),
      // people and sites are of this house alone
      ...(unit.session && { session: unit.session }),
      ...(unit.signOff && { signOff: { ...unit.signOff, signers: { ...unit.signOff.signers, people: [], sites: [] } } }),
      ...(unit.quiz && { quiz: { ...unit.quiz, questions: unit.quiz.questions.map(({ id }) => id) } }),
    };
    if (unit.quiz) await packQuiz(db, unit.quiz, `${path}/`, pack);
    return withHead(head, unit.body === null ? '' : await packPictures(db, markdownOf(unit.body), pack, '../'));
  }

  async function mediaOf(id: string): Promise<string | null> {
    const head = await findFileHead(db, id);
    if (!head) return null;
    if (bytes + head.size > COURSE_FILE_LIMIT) throw tooLarge();
    const file = (await findFile(db, id, ['course']))!;
    const path = `media/${id}/${file.name.replace(/[/\\]/g, '_')}`;
    bytes += path in pack ? 0 : file.size;
    pack[path] = file.content;
    return path;
  }

  async function captionsOf(
    captions: readonly { fileId: string; language: string }[],
  ): Promise<{ file: string | null; language: string }[]> {
    const list = [];
    for (const { fileId, language } of captions) list.push({ file: await mediaOf(fileId), language });
    return list;
  }
}

/** Media are compressed already. The same course makes the same file. */
const zipped = (pack: Pack): Buffer =>
  Buffer.from(zipSync(Object.fromEntries(Object.entries(pack).map(([path, content]) => [path, [content, { level: path.startsWith('media/') ? 0 : 6 }]])), { mtime: new Date('2000-01-01T00:00:00Z') })); // prettier-ignore

/** Front matter and text of a file. @throws Refused */
function readHead(bytes: Uint8Array, path: string, fileName: string): { head: Record<string, unknown>; body: string } {
  const [, yaml, body] = /^---\r?\n([\s\S]*?)\r?\n?---[ \t]*(?:\r?\n([\s\S]*))?$/.exec(strFromU8(bytes as Uint8Array<ArrayBuffer>).replace(/^\uFEFF/, '')) ?? []; // prettier-ignore
  const refuse = (words: string): Refused => new Refused('wrong-file', `${fileName}: ${path} ${words}. Nothing was taken.`);
  if (yaml === undefined) throw refuse('has no front matter: expected YAML between two lines of ---');
  try {
    const head: unknown = parseYaml(yaml, { maxAliasCount: 0, schema: 'core' });
    if (typeof head !== 'object' || head === null || Array.isArray(head))
      throw refuse('has front matter that is no list of names and values');
    return { head: head as Record<string, unknown>, body: body ?? '' };
  } catch (error) {
    if (error instanceof Refused) throw error;
    throw refuse(`has front matter that is no YAML (${(error as Error).message.split('\n')[0]!.slice(0, 160)})`);
  }
}

/**
 * A new course from such a file, as a draft. A title or a code that is taken is told, and the course gets another.
 * @throws Refused with where, expected and got, where it cannot be read
 */
export async function takeCourseFile(
  deps: Deps,
  bytes: Uint8Array,
  fileName: string,
  ownerId: string | null,
  byWhom: string,
): Promise<CourseTaken> {
  const pack = await readPack(bytes, fileName);
  // a folder around it all is what version control systems and some programs make
  const top = [...pack.keys()].find((path) => path === HEAD || path.endsWith(`/${HEAD}`))?.slice(0, -HEAD.length);
  if (top === undefined) throw new Refused('wrong-file', `${fileName}: it is no course: ${HEAD} is not in it. Nothing was taken.`);
  const files = new Map([...pack].filter(([path]) => path.startsWith(top)).map(([path, content]) => [path.slice(top.length), content]));
  const { head } = readHead(files.get(HEAD)!, HEAD, fileName);
  if (head['format'] !== FORMAT) throw new Refused('wrong-file', `${fileName}: ${HEAD} is of the format ${JSON.stringify(head['format'] ?? null)}; expected ${FORMAT}. Nothing was taken.`); // prettier-ignore
  const left: string[] = [];
  return transaction(deps.db, async (client) => {
    const kept = new Map<string, string | null>();
    const folders = [...new Set([...files.keys()].flatMap((path) => /^(?!media\/)([^/]+)\/section\.md$/.exec(path)?.[1] ?? []))].sort();
    const sections = [];
    for (const folder of folders) {
      const { head: section } = readHead(files.get(`${folder}/section.md`)!, `${folder}/section.md`, fileName);
      const paths = [...files.keys()].filter((path) => new RegExp(`^${escapeRegExp(folder)}/[^/]+\\.md$`).test(path) && !path.endsWith('/section.md')).sort(); // prettier-ignore
      const units = [];
      for (const path of paths) units.push(await unitOf(client, path, files, kept));
      sections.push({ title: section['title'] ?? '', units });
    }
    const { title, code, summary, certificate, asks, finish } = head;
    const validity = validityOf(head);
    const parsed = CourseDraft.safeParse({ title, code, summary, validity, certificate, asks, finish, ownerId, sections });
    if (!parsed.success) {
      const [issue] = tellIssues(parsed.error, {});
      throw new Refused('wrong-file', `${fileName}: ${issue!.field ? `${issue!.field}: ` : ''}${issue!.message}. Nothing was taken.`);
    }
    const draft = await free(client, parsed.data, left);
    return { id: await createCourseIn(deps, client, draft, byWhom), title: draft.title, left };
  });

  async function unitOf(
    client: Client,
    path: string,
    from: ReadonlyMap<string, Uint8Array>,
    kept: Map<string, string | null>,
  ): Promise<object> {
    const { head: unit, body } = readHead(from.get(path)!, path, fileName);
    const { key, file, video, quiz, release, ...rest } = unit;
    const take = async (name: unknown): Promise<string | null> => {
      if (typeof name !== 'string') return null;
      if (!kept.has(name)) {
        const content = from.get(name);
        kept.set(name, content ? await keepPacked(client, name, content) : null);
        if (!kept.get(name)) left.push(`${name} ${content ? 'is no file that a course may hold' : 'is not in it'}.`);
      }
      return kept.get(name)!;
    };
    const isPage = (rest['kind'] as UnitKind) === 'page';
    return {
      ...rest,
      id: typeof key === 'string' ? `new-${slug(key)}` : null,
      release: isRecord(release) && (release['kind'] === 'finished' || release['kind'] === 'passed') ? { ...release, unit: `new-${slug(String(release['unit']))}` } : (release ?? null), // prettier-ignore
      body: isPage ? htmlOf(await unpackPictures(client, body, path, from, kept)) : null,
      fileId: await take(file),
      video: isRecord(video) ? { ...video, captions: await captionsOf(video['captions'], take) } : null,
      quiz: isRecord(quiz)
        ? { ...quiz, questions: await questionsOf(client, quiz['questions'], path.slice(0, -'.md'.length), from, kept) }
        : null,
    };
  }

  async function captionsOf(list: unknown, take: (name: unknown) => Promise<string | null>): Promise<object[]> {
    const made = [];
    for (const one of Array.isArray(list) ? list : []) {
      const fileId = isRecord(one) ? await take(one['file']) : null;
      if (fileId) made.push({ fileId, language: (one as Record<string, unknown>)['language'] });
    }
    return made;
  }

  async function questionsOf(
    client: Client,
    ids: unknown,
    folder: string,
    from: ReadonlyMap<string, Uint8Array>,
    kept: Map<string, string | null>,
  ): Promise<Question[]> {
    const made: Question[] = [];
    for (const id of Array.isArray(ids) ? ids.map(String) : []) {
      const path = `${folder}/${id}.xml`;
      const item = from.get(path);
      if (!item) {
        left.push(`${path} is not in it.`);
        continue;
      }
      const xml = await unpackPictures(client, strFromU8(item as Uint8Array<ArrayBuffer>), path, from, kept);
      const read = readItem(xml, () => (/^[A-Za-z0-9_-]{1,40}$/.test(id) ? id : randomUUID()));
      if ('fault' in read) left.push(`${path} ${read.fault}.`);
      else made.push(read.question);
    }
    return made;
  }
}

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);
const escapeRegExp = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** The draft under a title and a code that are free. */
async function free(client: Client, draft: CourseDraft, left: string[]): Promise<CourseDraft> {
  let made = draft;
  if (draft.code && (await twinFault(client, null, { title: randomUUID(), code: draft.code }))) {
    left.push(`The code ${draft.code} belongs to another course; this one has none yet.`);
    made = { ...made, code: null };
  }
  for (let n = 2; (await twinFault(client, null, { title: made.title, code: null })) && n < 100; n++)
    made = { ...made, title: `${draft.title} (${n})` };
  if (made.title !== draft.title) left.push(`There is a course “${draft.title}” already; this one is called “${made.title}”.`);
  return made;
}
