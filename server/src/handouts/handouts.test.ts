import { afterAll, beforeEach, describe, expect, it } from 'vitest';
import { STANDARD_PLAN, type PlanStep, type TemplateFile } from '@nudrik/core';
import { LetterRequest } from '@nudrik/contract';
import { rows } from '../db/db.ts';
import { makePdf, makeZip } from '../files/made-files.ts';
import type { Letter } from '../messages/channel.ts';
import { letterView } from '../messages/letters.ts';
import { findNoticeSheet } from '../notices/ledger.query.ts';
import { publishPlan } from '../plans/publish.ts';
import { assignAt, makeCourse, makeCrew, openMailSink, openTestHouse, type TestHouse } from '../testing.ts';
import { drain } from '../worker.ts';
import { addHandout, askAnew, downloadView, handoutList, openDownload, replaceHandout } from './handouts.ts';

let house: TestHouse;
let sink: Awaited<ReturnType<typeof openMailSink>>;
let crew: Record<string, string>;
let course: string;
let version: number;
beforeEach(async () => {
  await house?.close();
  await sink?.close();
  house = await openTestHouse();
  sink = await openMailSink();
  house.deps.settings.smtpUrl = sink.url;
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  version = 1;
  house.clock.at = Date.parse('2027-03-01T09:45:00Z');
});
afterAll(async () => {
  await house.close();
  await sink.close();
});

const HERE = '11111111-1111-4111-8111-111111111111';
const ELSEWHERE = '22222222-2222-4222-8222-222222222222';
const add = async (name = 'Hoses.pdf', content?: Buffer) =>
  addHandout(house.deps, course, { name, content: content ?? (await makePdf(2)) }, 'Sigrid Aune');
const withFiles = (...files: TemplateFile[]): PlanStep[] =>
  STANDARD_PLAN.map((step) => (step.id === 'invitation' ? { ...step, message: { ...step.message, files } } : step));
const publish = async (steps: PlanStep[]) =>
  ({ version } = await publishPlan(house.deps, course, { version, steps } as never, 'Sigrid Aune'));
const file = (handout: string, rest: Partial<TemplateFile> = {}): TemplateFile => ({
  handout,
  as: 'download',
  hours: 24,
  times: 1,
  mayAsk: true,
  ...rest,
});
const invite = async (who = 'runa'): Promise<Letter> => {
  await assignAt(house, course, [crew[who]!], '2027-03-19T16:00:00Z');
  house.mailer.letters = [];
  await drain(house.deps, house.mailer);
  return house.mailer.letters[0]!;
};
const linkIn = (text: string): string => /\/download\/([\w-]+)/.exec(text)![1]!;
const later = (hours: number) => (house.clock.at += hours * 3_600_000);

describe('a file that goes with a message', () => {
  it('is attached, as it is when the message goes; another in its place goes with the next', async () => {
    const made = await add();
    expect(made).toMatchObject({ name: 'Hoses.pdf', version: 1, putBy: 'Sigrid Aune' });
    await publish(withFiles(file(made.id, { as: 'attached' })));
    const first = await invite();
    expect(first.files!.map(({ name, type }) => [name, type])).toEqual([['Hoses.pdf', 'application/pdf']]);
    const next = await makePdf(3);
    await replaceHandout(house.deps, made.id, { name: 'Hoses 2027.pdf', content: next }, 'Tora');
    const second = await invite('per');
    expect(second.files![0]!.name).toBe('Hoses 2027.pdf');
    expect(second.files![0]!.content.equals(next)).toBe(true);
    // what went is told as it was
    const notices = await rows<{ id: string }>(house.db, "select id from notices where step_id = 'invitation' order by id");
    const told = await Promise.all(notices.map(async ({ id }) => (await findNoticeSheet(house.deps, id)).timeline.filter(({ what }) => what === 'with it').map(({ words }) => words)));
    expect(told).toEqual([['Hoses.pdf'], ['Hoses 2027.pdf']]);
    expect((await handoutList(house.db, course)).map((one) => [one.name, one.version])).toEqual([['Hoses 2027.pdf', 2]]);
  });

  it('goes again with the same message where that is tried again', async () => {
    const made = await add();
    await publish(withFiles(file(made.id, { as: 'attached' }), ));
    house.mailer.answer = () => ({ outcome: 'later', response: '451 not now', scope: 'letter' });
    await invite();
    expect(house.mailer.letters).toEqual([]);
    house.mailer.answer = () => ({ outcome: 'accepted', response: '250 ok' });
    later(1);
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters.map(({ files }) => files?.length)).toEqual([1]);
    expect(await rows(house.db, 'select from messages')).toHaveLength(1);
  });

  it.each<[string, string, () => Promise<Buffer> | Buffer, RegExp]>([
    ['is empty', 'a.pdf', () => Buffer.alloc(0), /is empty/],
    ['is larger than mail servers take', 'a.pdf', () => Buffer.alloc(8 * 1024 * 1024 + 1), /8 MB at the most/],
    ['is something else than it is called', 'a.pdf', () => Buffer.from('MZ\x90\x00 program'), /a\.pdf/],
    ['is a program', 'a.exe', () => Buffer.from('MZ\x90\x00'), /a\.exe/],
    ['is broken', 'a.pdf', () => Buffer.from('%PDF-1.7\nnothing of one'), /a\.pdf/],
    ['is a package of a course', 'a.zip', () => makeZip({ 'imsmanifest.xml': '<manifest/>', 'index.html': 'x' }), /a\.zip/],
  ])('is refused where it %s, and nothing is left of it', async (_, name, content, words) => {
    await expect(add(name, await content())).rejects.toThrow(words);
    expect(await rows(house.db, "select from files where purpose = 'handout'")).toEqual([]);
    expect(await handoutList(house.db, course)).toEqual([]);
  });

  it('that is gone, or with others too much for a mail, keeps a plan from being published', async () => {
    await expect(publish(withFiles(file('999')))).rejects.toThrow(/“Invitation”: A file that went with the message is not there any more/);
    const noise = Buffer.concat([Buffer.from('\ufeffname,hours\n'), Buffer.alloc(6_000_000, 'a,1\n')]);
    const [a, b] = [await add('a.csv', noise).catch(() => add('a.txt', noise)), await add('b.csv', noise).catch(() => add('b.txt', noise))];
    await expect(publish(withFiles(file(a.id, { as: 'attached' }), file(b.id, { as: 'attached' })))).rejects.toThrow(/attached files have 11 MB together/);
    await publish(withFiles(file(a.id, { as: 'attached' }), file(b.id)));
  });

  it('stands in the preview, without anybody’s link', async () => {
    const [pdf, list] = [await add(), await add('List.pdf')];
    const [invitation] = withFiles(file(pdf.id), file(list.id, { as: 'attached' }));
    const { letter } = await letterView(house.deps, course, LetterRequest.parse({ step: invitation }));
    expect(letter!.attached).toEqual(['List.pdf']);
    expect(letter!.text).toMatch(/Hoses\.pdf \([\w .]+; opens for 24 hours after this message went, once\)/);
    expect(letter!.html).not.toContain('/download/');
  });
}); // prettier-ignore

describe('a download', () => {
  const given = async (rest: Partial<TemplateFile> = {}): Promise<{ link: string; handout: string; letter: Letter }> => {
    const { id } = await add();
    await publish(withFiles(file(id, rest)));
    const letter = await invite();
    return { link: linkIn(letter.text), handout: id, letter };
  };
  const open = (link: string, holder = HERE) => openDownload(house.deps, link, holder);

  it('opens by its reader’s own link, once, on the record; looking at it uses nothing up', async () => {
    const { link, letter } = await given();
    expect(linkIn(letter.html)).toBe(link);
    for (let i = 0; i < 3; i++) expect(await downloadView(house.deps, link)).toMatchObject({ name: 'Hoses.pdf', person: 'Runa Aske', isOpen: true, until: expect.stringMatching(/^Tue 2 Mar 10:\d\d, Oslo time$/) });
    const { name, type, content } = await open(link);
    expect([name, type, content.subarray(0, 5).toString()]).toEqual(['Hoses.pdf', 'application/pdf', '%PDF-']);
    await expect(open(link)).rejects.toThrow(/opened once\. Ask for it anew/);
    expect(await downloadView(house.deps, link)).toMatchObject({ isOpen: false, mayAsk: true });
    const [notice] = await rows<{ id: string }>(house.db, "select id from notices where step_id = 'invitation'");
    expect((await findNoticeSheet(house.deps, notice!.id)).timeline.map(({ what, words }) => `${what} ${words}`)).toEqual(expect.arrayContaining(['to download Hoses.pdf', expect.stringMatching(/^opened .*: Hoses\.pdf$/)]));
    // and nobody reads the link out of the ledger
    expect(JSON.stringify(await findNoticeSheet(house.deps, notice!.id))).not.toMatch(/\/download\//);
  });

  it('that is passed on opens on no other device after it was opened on one', async () => {
    const { link } = await given({ times: null });
    await open(link);
    await open(link);
    await expect(open(link, ELSEWHERE)).rejects.toThrow(/first on another device/);
    expect(await rows(house.db, 'select from download_uses')).toHaveLength(2);
  });

  it('ends with its time, is asked for anew, and comes to its reader’s address alone; the one before ends', async () => {
    const { link } = await given({ hours: 2 });
    later(2);
    await expect(open(link)).rejects.toThrow(/ended Mon 1 Mar/);
    const { words } = await askAnew(house.deps, link, '198.51.100.7');
    expect(words).toMatch(/on its way to r…@orlasund\.example; it opens until Tue 2 Mar/);
    expect(sink.mails).toHaveLength(1);
    expect(sink.mails[0]).toMatch(/^To: .*runa@orlasund\.example/m);
    const next = linkIn(sink.mails[0]!.replace(/=\r?\n/g, ''));
    expect(next).not.toBe(link);
    await open(next, ELSEWHERE);
    await expect(askAnew(house.deps, link, '198.51.100.7')).rejects.toThrow(/not given anew/);
    // and that one again
    await askAnew(house.deps, next, '198.51.100.7');
    await expect(open(next, ELSEWHERE)).rejects.toThrow(/ended/);
  });

  it('is asked for once by two that ask at once, and stays as it is where the mail is not taken', async () => {
    const { link } = await given();
    sink.isOpen = false;
    await expect(askAnew(house.deps, link, '198.51.100.7')).rejects.toThrow(/nothing was changed/);
    expect(await downloadView(house.deps, link)).toMatchObject({ isOpen: true, mayAsk: true });
    sink.isOpen = true;
    const asked = await Promise.allSettled([askAnew(house.deps, link, 'a'), askAnew(house.deps, link, 'b')]);
    expect(asked.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
    expect(sink.mails.length).toBe(1);
  });

  it('is not given anew where the step does not say so, and opens by no link that was not signed', async () => {
    const { link } = await given({ mayAsk: false });
    await expect(askAnew(house.deps, link, '198.51.100.7')).rejects.toThrow(/Reply to the message/);
    for (const wrong of [link.slice(0, -1) + (link.endsWith('A') ? 'B' : 'A'), link.replace(/^\d+/, '7'), link.slice(0, -32)])
      await expect(downloadView(house.deps, wrong)).rejects.toThrow(/leads to no file/);
  });

  it('ends with leaving, as every personal link does', async () => {
    const { link } = await given();
    await house.db.query("update people set left_on = '2027-03-01' where name = 'Runa Aske'");
    for (const act of [() => open(link), () => downloadView(house.deps, link), () => askAnew(house.deps, link, 'a')]) await expect(act()).rejects.toThrow(/leads to no file/);
  });

  it('used at once by many, opens as often as it says', async () => {
    const { link } = await given({ times: 3 });
    const tries = await Promise.allSettled(Array.from({ length: 8 }, () => open(link)));
    expect(tries.filter(({ status }) => status === 'fulfilled')).toHaveLength(3);
  });

  it('gives what was put in its place meanwhile', async () => {
    const { link, handout } = await given();
    const right = await makePdf(5);
    await replaceHandout(house.deps, handout, { name: 'Right.pdf', content: right }, 'Tora');
    const { name, content } = await open(link);
    expect([name, content.equals(right)]).toEqual(['Right.pdf', true]);
  });
}); // prettier-ignore
