import { createHash, createPublicKey, type JsonWebKey } from 'node:crypto';
import { createVerifier } from 'fast-jwt';
import { unzipSync } from 'fflate';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { expiryOf, STANDARD_DESIGN, STANDARD_PLAN, type Design, type PlanStep, type Validity } from '@nudrik/core';
import type { CertificatesMade } from '@nudrik/contract';
import { listActs, undoAct } from '../assignments/acts.ts';
import { oneRow, rows } from '../db/db.ts';
import { findLearning, markUnitDone } from '../learning/learn.ts';
import { changePerson } from '../people/change.ts';
import { timelineOf } from '../people/timeline.ts';
import { assignAt, linkInto, makeCourse, makeCrew, openTestHouse, type TestHouse } from '../testing.ts';
import { wordsOfPdf } from '../testing-pdf.ts';
import { AT_ONCE, type MadeFile, type Work } from '../work/jobs.ts';
import { drain } from '../worker.ts';
import { badgeStatus, issuerProfile, makeBadge, publicKey } from './badge.ts';
import { addCertificate } from './by-hand.ts';
import { makeCertificatesFile } from './certificates-file.ts';
import { certificatePdf, findCertificate, listCertificates, verify, verifyFile } from './certificates.repo.ts';
import { chooseHouseDesign, createDesign, designPeople, designRows, designVersion, designView, lookAtDesign, saveDesign, setDesignRetired } from './designs.ts'; // prettier-ignore
import { addCertificatePicture } from './pictures.ts';
import { reissueCertificate } from './reissue.ts';
import { revokeCertificate } from './revoke.ts';
import { endShownLink, findShown, makeShownLink, shownCertificate, shownLink } from './shown.ts';

const BY = 'Sigrid Aune';
const TODAY = '2027-03-01';
let house: TestHouse;
let crew: Record<string, string>;
let course: string;
beforeAll(async () => {
  house = await openTestHouse();
  crew = await makeCrew(house);
  course = await makeCourse(house, crew['tora']!);
  await house.db.query('update settings set settle_minutes = 0');
});
afterAll(() => house.close());

/** Somebody finishes a course of their own. @returns the assignment and its certificate */
async function finish(who: string, title: string): Promise<{ assignment: string; link: string; serial: string; course: string }> {
  const own = await makeCourse(house, crew['tora']!, undefined, title);
  const [assignment] = await assignAt(house, own, [crew[who]!], '2027-03-19T16:00:00Z');
  await drain(house.deps, house.mailer);
  const link = await linkInto(house, assignment!);
  for (const section of (await findLearning(house.deps, link)).sections)
    for (const unit of section.units) await markUnitDone(house.deps, link, unit.id);
  await drain(house.deps, house.mailer);
  const { serial } = await oneRow<{ serial: string }>(house.db, 'select serial from standing_certificates where assignment_id = $1::bigint', [assignment]); // prettier-ignore
  return { assignment: assignment!, link, serial, course: own };
}
const list = (query: { state?: string; person?: string; course?: string; find?: string } = {}) =>
  listCertificates(house.db, { state: 'all', page: 0, size: 50, ...query } as never, TODAY);
const digest = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex');
describe('a certificate that is issued again', () => {
  it('has the new name and the same days; the former says that it was replaced, and tells no stranger by what', async () => {
    const { serial, assignment, course: own } = await finish('kari', 'Lines');
    const [before] = (await list({ course: own })).rows;
    const notices = await rows(house.db, 'select id from notices where assignment_id = $1::bigint order by id', [assignment]);
    await changePerson(house.deps, crew['kari']!, { name: 'Kari Berg' }, BY);
    expect((await list({ course: own })).rows[0]).toMatchObject({ nameNow: 'Kari Berg', person: { name: 'Kari Aske' } });
    const former = (await certificatePdf(house.db, serial, house.deps.settings.baseUrl))!;
    const again = await reissueCertificate(house.deps, serial, 'The name changed', BY);
    expect((await list({ course: own, state: 'current' })).rows).toMatchObject([
      { serial: again.serial, person: { name: 'Kari Berg' }, issuedOn: before!.issuedOn, expiresOn: before!.expiresOn, nameNow: null },
    ]);
    expect((await list({ course: own, state: 'replaced' })).rows).toMatchObject([
      { serial, state: 'replaced', replaced: { by: BY, reason: 'The name changed', serial: again.serial } },
    ]);
    expect((await wordsOfPdf((await certificatePdf(house.db, again.serial, house.deps.settings.baseUrl))!))[0]).toContain('Kari Berg');
    const told = await verify(house.db, serial, TODAY);
    expect(told).toMatchObject({ answer: 'replaced', name: 'Kari Aske' });
    expect(JSON.stringify([told, await verifyFile(house.db, digest(former), TODAY)])).not.toContain(again.serial);
    expect(await verify(house.db, again.serial, TODAY)).toMatchObject({ answer: 'genuine', name: 'Kari Berg' });
    // nobody is told anything anew, and it is on the person's record
    await drain(house.deps, house.mailer);
    expect(await rows(house.db, 'select id from notices where assignment_id = $1::bigint order by id', [assignment])).toEqual(notices);
    expect((await timelineOf(house.db, crew['kari']!, house.clock.at)).map(({ words }) => words).join('\n')).toContain(`Certificate ${serial} for Lines issued again as ${again.serial}: The name changed`); // prettier-ignore
    for (const twice of [serial])
      await expect(reissueCertificate(house.deps, twice, 'again', BY)).rejects.toThrow('took the place of this one');
    await expect(revokeCertificate(house.deps, serial, 'no', BY)).rejects.toThrow('revoke that one');
    // the newer one is what can be revoked, and what hangs on its issuing falls with it
    await revokeCertificate(house.deps, again.serial, 'not done', BY);
    expect((await list({ course: own })).rows.map(({ state }) => state).sort()).toEqual(['replaced', 'revoked']);
    await expect(reissueCertificate(house.deps, again.serial, 'x', BY)).rejects.toThrow('is revoked');
  });
});

describe('a certificate by hand', () => {
  it('of ours records the completion where there is none, and is taken back with it', async () => {
    const own = await makeCourse(house, crew['tora']!, undefined, 'Towing');
    const { serial } = await addCertificate(house.deps, { personId: crew['odd']!, courseId: own, finishedOn: '2027-02-10', reason: 'Done aboard', theirs: null }, BY); // prettier-ignore
    expect((await list({ course: own })).rows).toMatchObject([
      { serial, issuedOn: '2027-02-10', expiresOn: '2028-02-10', state: 'current', theirs: null },
    ]);
    expect((await wordsOfPdf((await certificatePdf(house.db, serial, house.deps.settings.baseUrl))!))[0]).toContain('Odd Aske');
    await expect(
      addCertificate(house.deps, { personId: crew['odd']!, courseId: own, finishedOn: '2027-02-10', reason: 'Twice', theirs: null }, BY),
    ).rejects.toThrow(serial);
    const [act] = await listActs(house.db, house.clock.at);
    expect(act!.words).toBe('Issued a certificate for Towing to Odd Aske by hand.');
    await undoAct(house.deps, act!.id, BY);
    expect((await list({ course: own })).rows).toMatchObject([
      { serial, state: 'revoked', revoked: { reason: 'what it was issued for was taken back' } },
    ]);
    expect(await verify(house.db, serial, TODAY)).toMatchObject({ answer: 'revoked' });
    // and then it can be done right
    const right = await addCertificate(house.deps, { personId: crew['odd']!, courseId: own, finishedOn: '2027-02-11', reason: 'The right day', theirs: null }, BY); // prettier-ignore
    expect((await list({ course: own, state: 'current' })).rows.map((row) => row.serial)).toEqual([right.serial]);
  });

  it('that others issued finishes what is open, runs out as it says, and has no PDF of ours', async () => {
    const own = await makeCourse(house, crew['tora']!, undefined, 'First Aid at Sea');
    const [open] = await assignAt(house, own, [crew['per']!], '2027-03-19T16:00:00Z');
    await drain(house.deps, house.mailer);
    const mails = house.mailer.letters.length;
    const theirs = { issuer: 'Tarn Medical School', number: 'TM 77', expiresOn: '2029-06-30', proofId: null };
    const { serial } = await addCertificate(house.deps, { personId: crew['per']!, courseId: own, finishedOn: '2027-02-01', reason: 'Seen by me', theirs }, BY); // prettier-ignore
    expect((await list({ course: own })).rows).toMatchObject([{ serial, expiresOn: '2029-06-30', theirs: { issuer: 'Tarn Medical School', number: 'TM 77', hasProof: false } }]); // prettier-ignore
    expect(await oneRow(house.db, 'select closed_by from assignments where id = $1::bigint', [open])).toEqual({ closed_by: 'finished' });
    expect(await oneRow(house.db, 'select until from standings where person_id = $1::bigint and course_id = $2::bigint', [crew['per'], own])).toEqual({ until: '2029-06-30' }); // prettier-ignore
    expect(await certificatePdf(house.db, serial, house.deps.settings.baseUrl)).toBeNull();
    expect(await verify(house.db, serial, TODAY)).toMatchObject({ answer: 'unknown' });
    await drain(house.deps, house.mailer);
    // its holder is sent no certificate of ours
    expect(house.mailer.letters.slice(mails).map(({ subject }) => subject).filter((subject) => /certificate/i.test(subject))).toEqual([]); // prettier-ignore
    await expect(reissueCertificate(house.deps, serial, 'x', BY)).rejects.toThrow('Tarn Medical School issued this certificate, not us');
    await expect(makeShownLink(house.deps, open!)).rejects.toThrow('nothing to show');
  });

  test.each([
    [{ finishedOn: '2027-03-02' }, 'has not come yet'],
    [{ personId: '999999' }, 'no such person'],
    [{ courseId: '999999' }, 'no such course'],
    [{ theirs: { issuer: 'X', number: null, expiresOn: '2026-01-01', proofId: null } }, 'before the course was finished'],
    [{ theirs: { issuer: 'X', number: null, expiresOn: null, proofId: '999999' } }, 'The proof is not there any more'],
  ])('%o is refused: %s', async (rest, words) => {
    const request = { personId: crew['per']!, courseId: course, finishedOn: '2027-02-01', reason: 'r', theirs: null, ...rest };
    await expect(addCertificate(house.deps, request, BY)).rejects.toThrow(words);
    expect((await list({ course })).rows).toEqual([]);
  });
});

describe('a selection as a file', () => {
  const make = async (
    request: Parameters<typeof makeCertificatesFile>[1],
  ): Promise<{ made: CertificatesMade; file: MadeFile; told: string[] }> => {
    let file: MadeFile | null = null;
    const told: string[] = [];
    const work: Work = {
      ...AT_ONCE,
      at: (done, total) => (told.push(`${done} of ${total}`), Promise.resolve()),
      keep: (one) => ((file = one), Promise.resolve('/api/jobs/1/file')),
    };
    return { made: await makeCertificatesFile(house.deps, request, work), file: file!, told };
  };

  it('is one PDF with a page for each, or a zip with each as it was issued; those of others are told', async () => {
    const { serial } = await finish('runa', 'Mooring');
    const { rows: all } = await list();
    const ours = all.filter(({ theirs }) => theirs === null);
    const pdf = await make({ as: 'pdf', serials: null, filter: { state: 'all' } });
    expect(pdf.made).toMatchObject({ href: '/api/jobs/1/file', count: ours.length, left: all.length - ours.length });
    expect(pdf.told[0]).toBe(`0 of ${ours.length}`);
    const pages = await wordsOfPdf(pdf.file.content);
    expect(pages).toHaveLength(ours.length);
    ours.forEach((row, i) => expect(pages[i]).toContain(row.serial));

    const zip = await make({ as: 'zip', serials: [serial, ours[0]!.serial, ours[0]!.serial, 'none'], filter: null });
    const files = unzipSync(new Uint8Array(zip.file.content));
    const named = Object.keys(files).find((name) => name.includes(serial))!;
    expect(named).toBe(`Runa Aske, Mooring, ${serial}.pdf`);
    expect(await verifyFile(house.db, digest(Buffer.from(files[named]!)), TODAY)).toMatchObject({ answer: 'genuine', serial });
  });

  it('of nothing says so', async () => {
    await expect(make({ as: 'pdf', serials: null, filter: { state: 'expired' } })).rejects.toThrow('No certificate fits');
    await expect(make({ as: 'pdf', serials: null, filter: null })).rejects.toThrow('got neither');
    const [theirs] = (await list()).rows.filter((row) => row.theirs);
    await expect(make({ as: 'zip', serials: [theirs!.serial], filter: null })).rejects.toThrow('Others issued all of these');
  });
});

describe('a certificate that its holder shows', () => {
  it('is seen by whoever has the address, says no more than itself, and no more once it was ended', async () => {
    const { assignment, serial, course: own } = await finish('runa', 'Rescue Boat');
    expect(await shownLink(house.deps, assignment)).toEqual({ url: null, madeAt: null, canShow: true });
    const { url } = await makeShownLink(house.deps, assignment);
    expect((await makeShownLink(house.deps, assignment)).url).toBe(url); // pressed twice
    const link = url!.split('/shown/')[1]!;
    const shown = await shownCertificate(house.deps, link);
    expect(shown).toMatchObject({ answer: 'genuine', serial, name: 'Runa Aske', course: 'Rescue Boat', hasBadge: true });
    expect(JSON.stringify(shown)).not.toContain('runa@');
    await expect(shownCertificate(house.deps, `${link.slice(0, -1)}x`)).rejects.toThrow('Nothing is shown here');
    expect((await list({ course: own })).rows[0]!.isShown).toBe(true);
    await endShownLink(house.deps, assignment);
    await expect(findShown(house.deps, link)).rejects.toThrow('Nothing is shown here');
    const fresh = (await makeShownLink(house.deps, assignment)).url!;
    expect(fresh).not.toBe(url);
    // one that was issued again is shown by the former address no more: whose name changed decides that anew
    await reissueCertificate(house.deps, serial, 'The name changed', BY);
    await expect(findShown(house.deps, fresh.split('/shown/')[1]!)).rejects.toThrow('Nothing is shown here');
    expect(await shownLink(house.deps, assignment)).toMatchObject({ url: null, canShow: true });
  });

  it('has a badge that another program can check, as long as it holds', async () => {
    const { serial } = await finish('odd', 'Radio Watch');
    const row = (await findCertificate(house.db, serial))!;
    const badge = await makeBadge(house.deps, row);
    const head = JSON.parse(Buffer.from(badge.split('.')[0]!, 'base64url').toString()) as Record<string, string>;
    expect(head).toMatchObject({ alg: 'EdDSA', typ: 'JWT', kid: `${house.deps.settings.baseUrl}/api/badges/key` });
    const key = createPublicKey({ key: publicKey(house.deps) as JsonWebKey, format: 'jwk' }).export({
      type: 'spki',
      format: 'pem',
    }) as string;
    const check = createVerifier({ key, algorithms: ['EdDSA'], clockTimestamp: house.clock.at, allowedIss: ((await issuerProfile(house.deps)) as { id: string }).id }); // prettier-ignore
    const seen = check(badge) as Record<string, never>;
    expect(seen).toMatchObject({
      type: ['VerifiableCredential', 'OpenBadgeCredential'],
      validFrom: '2027-03-01T00:00:00Z',
      validUntil: '2028-03-01T23:59:59Z',
      credentialSubject: { identifier: [{ identityType: 'name', identityHash: 'Odd Aske' }], achievement: { name: 'Radio Watch' } },
    });
    expect(JSON.stringify(seen)).not.toContain('odd@');
    // any letter that is another one is found out
    const [a, b, c] = badge.split('.');
    const forged = Buffer.from(Buffer.from(b!, 'base64url').toString().replace('Odd Aske', 'Per Aske')).toString('base64url');
    expect(() => check(`${a}.${forged}.${c}`)).toThrow('signature');
    expect(await badgeStatus(house.deps, serial)).toMatchObject({ revokedCredential: [] });
    await revokeCertificate(house.deps, serial, 'not done', BY);
    expect(await badgeStatus(house.deps, serial)).toMatchObject({ revokedCredential: [{ id: `${house.deps.settings.baseUrl}/verify/${serial}`, revoked: true }] }); // prettier-ignore
    await expect(makeBadge(house.deps, (await findCertificate(house.db, serial))!)).rejects.toThrow('does not hold any more');
  });
});

describe('a design', () => {
  const said = (design: Design, title: string): Design => ({
    ...design,
    elements: design.elements.map((element) => (element.kind === 'text' && element.id === 'title' ? { ...element, text: title } : element)),
  });

  it('is what certificates of its courses look like from then on; what was issued keeps its version', async () => {
    const before = await finish('per', 'Before the design');
    const { id } = await createDesign(house.deps, { name: 'Of the house', from: { key: 'centred' } }, BY);
    await chooseHouseDesign(house.deps, id, BY);
    const first = await finish('per', 'With the first');
    const view = await designView(house.db, id);
    const draft = { name: 'Of the house', version: 1, save: 'save-0001', design: said(view.design, 'Certificate of seamanship') };
    expect((await saveDesign(house.deps, id, draft, BY)).version).toBe(2);
    // the answer was lost, and it came again
    expect((await saveDesign(house.deps, id, draft, BY)).version).toBe(2);
    await expect(saveDesign(house.deps, id, { ...draft, save: 'save-0002' }, BY)).rejects.toThrow('Version 2 of the design');
    const second = await finish('per', 'With the second');
    const texts = await Promise.all(
      [before, first, second].map(async ({ serial }) => {
        await house.db.query('update certificates set pdf = null where serial = $1::text', [serial]); // made again, as it was
        return (await wordsOfPdf((await certificatePdf(house.db, serial, house.deps.settings.baseUrl))!))[0]!;
      }),
    );
    expect(texts.map((text) => [text.includes('awarded to'), text.includes('seamanship')])).toEqual([[false, false], [true, false], [true, true]]); // prettier-ignore
    expect((await designView(house.db, id)).versions).toMatchObject([{ version: 2, issued: 1 }, { version: 1, issued: 1 }]); // prettier-ignore
    expect(await designVersion(house.db, id, 1)).toEqual(view.design);
    await expect(setDesignRetired(house.deps, id, true, BY)).rejects.toThrow('in use where a course says nothing else');
    await chooseHouseDesign(house.deps, null, BY);
    expect((await setDesignRetired(house.deps, id, true, BY)).isRetired).toBe(true);
    await expect(chooseHouseDesign(house.deps, id, BY)).rejects.toThrow('not offered any more');
    expect((await designRows(house.deps)).map(({ name, isHouse, isRetired }) => [name, isHouse, isRetired])).toEqual([
      ['Double line', true, false],
      ['Of the house', false, true],
    ]);
    const record = await rows<{ words: string }>(house.db, "select words from house_changes where area = 'settings' order by id");
    expect(record.map(({ words }) => words).join('\n')).toContain('Of the house');
  });

  it('is refused with what is wrong with it', async () => {
    const { id } = await createDesign(house.deps, { name: 'Another', from: { key: 'plain' } }, BY);
    const save = (design: Design, name = 'Another') => saveDesign(house.deps, id, { name, version: 1, save: 'save-0003', design }, BY);
    await expect(save(said(STANDARD_DESIGN, '{full nam}'))).rejects.toThrow('Did you mean {full name}?');
    await expect(save({ ...STANDARD_DESIGN, backgroundId: '99999' })).rejects.toThrow('picture of the design is not there any more');
    await expect(save(STANDARD_DESIGN, 'OF THE HOUSE')).rejects.toThrow('a design called “Of the house” already');
    await expect(createDesign(house.deps, { name: 'x', from: { key: 'nothing' } }, BY)).rejects.toThrow('no such design');
    expect((await designView(house.db, id)).version).toBe(1);
  });

  it('is looked at as real people have it, longest and shortest name first; what does not fit, and letters that no font has, are said', async () => {
    await changePerson(house.deps, crew['runa']!, { name: 'Runa 𓀀 Aske' }, BY);
    const { people, missing } = await designPeople(house.deps);
    expect(missing).toBe(1);
    expect(people.map(({ why }) => why)).toEqual(['letters missing', 'shortest name']); // hers is the longest, and of another script
    const low: Design = { ...STANDARD_DESIGN, elements: STANDARD_DESIGN.elements.map((element) => (element.id === 'course' ? { ...element, box: { ...element.box, w: 20, h: 3 } } : element)) }; // prettier-ignore
    const seen = await lookAtDesign(house.deps, { design: low, courseId: course, people: [crew['runa']!, null] });
    expect(seen.sheets[0]!.faults.map(({ words }) => words).join('\n')).toContain('Name has a letter that no font here has: 𓀀');
    expect(seen.sheets[0]!.faults.map(({ words }) => words).join('\n')).toContain('Course');
    expect(seen.sheets[1]!.name).toBe('Ελένη Παπαδοπούλου');
    expect(seen.remarks.map(({ words }) => words)).toEqual(['The house has no picture as PNG or JPEG: the place of the logo stays empty.']);
    expect(seen.pieces.map(({ element }) => element)).toContain('code');
    await changePerson(house.deps, crew['runa']!, { name: 'Runa Aske' }, BY);
  });

  test.each([
    ['nothing', Buffer.alloc(0), 'the file is empty'],
    [
      'an SVG with a script',
      Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'),
      'expected a picture as PNG or JPEG',
    ],
    ['a page', Buffer.from('<!doctype html><p>x'), 'expected a picture as PNG or JPEG'],
    [
      'a moving GIF',
      Buffer.from('R0lGODlhAQABAPAAAP8AAP///yH5BAUAAAAALAAAAAABAAEAAAICRAEAOw==', 'base64'),
      'expected a picture as PNG or JPEG',
    ],
    ['twenty thousand pixels square', headOf(20_000, 20_000), 'pixels are too many'],
    ['a large one that is cut off', headOf(3_000, 3_000), 'the picture is broken'],
    ['more than four megabytes', Buffer.concat([headOf(10, 10), Buffer.alloc(4_000_001)]), 'at most 4 MB'],
  ])('takes no picture that is %s', async (_what, content, words) => {
    await expect(addCertificatePicture(house.deps, { name: 'crest.png', content })).rejects.toThrow(words);
  });
});

/** A PNG that says how large it is, and has no pixels. */
function headOf(width: number, height: number): Buffer {
  const chunk = (kind: string, content: Buffer): Buffer => {
    const made = Buffer.alloc(content.length + 12);
    made.writeUInt32BE(content.length, 0);
    made.write(kind, 4, 'latin1');
    content.copy(made, 8);
    return made;
  };
  const head = Buffer.from([0, 0, 0, 0, 0, 0, 0, 0, 8, 6, 0, 0, 0]);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  const begin = Buffer.from('89504e470d0a1a0a', 'hex');
  return Buffer.concat([begin, chunk('IHDR', head), chunk('IDAT', Buffer.alloc(0)), chunk('IEND', Buffer.alloc(0))]);
}

describe('a message about a certificate', () => {
  const certificate = STANDARD_PLAN.find(({ id }) => id === 'certificate')!;
  const step = (rest: Partial<PlanStep>): PlanStep => ({ ...certificate, ...rest });

  it('brings it as its PDF, where its step says so', async () => {
    const bringing = step({ id: 'brings', anchor: { event: 'certificate-issued' }, message: { ...certificate.message, subject: '{course}: here it is', withCertificate: true } }); // prettier-ignore
    const own = await makeCourse(house, crew['tora']!, [bringing], 'Line Throwing');
    const [assignment] = await assignAt(house, own, [crew['per']!], '2027-03-19T16:00:00Z');
    const link = await linkInto(house, assignment!);
    for (const section of (await findLearning(house.deps, link)).sections)
      for (const unit of section.units) await markUnitDone(house.deps, link, unit.id);
    await drain(house.deps, house.mailer);
    const letter = house.mailer.letters.find(({ subject }) => subject === 'Line Throwing: here it is')!;
    expect(letter.files).toHaveLength(1);
    expect(letter.files![0]).toMatchObject({ type: 'application/pdf', name: expect.stringMatching(/^certificate-.*\.pdf$/) });
    expect(await verifyFile(house.db, digest(letter.files![0]!.content), TODAY)).toMatchObject({ answer: 'genuine', name: 'Per Aske' });
  });

  it('that runs out goes to nobody who renewed it meanwhile', async () => {
    const soon = step({ id: 'soon', name: 'Runs out', anchor: { event: 'expires' }, offset: { amount: -30, unit: 'days' }, message: { subject: '{course}: it runs out', body: 'Hello', button: null } }); // prettier-ignore
    const own = await makeCourse(house, crew['tora']!, [soon], 'Fire Watch');
    for (const [who, renewed] of [['odd', true], ['per', false]] as const) {
      await addCertificate(house.deps, { personId: crew[who]!, courseId: own, finishedOn: '2026-04-15', reason: 'r', theirs: null }, BY);
      if (renewed) await addCertificate(house.deps, { personId: crew[who]!, courseId: own, finishedOn: '2027-02-20', reason: 'r', theirs: null }, BY);
    } // prettier-ignore
    const before = house.mailer.letters.length;
    house.clock.at = Date.parse('2027-03-20T12:00:00Z');
    await drain(house.deps, house.mailer);
    expect(house.mailer.letters.slice(before).filter(({ subject }) => subject === 'Fire Watch: it runs out').map(({ toName }) => toName)).toEqual(['Per Aske']); // prettier-ignore
    const skipped = await rows<{ because: string; sentence: string }>(house.db, "select because, sentence from notices where step_id = 'soon' and person_id = $1::bigint and state = 'skipped'", [crew['odd']]); // prettier-ignore
    expect(skipped).toMatchObject([{ because: 'renewed' }]);
    house.clock.at = Date.parse('2027-03-01T09:30:00Z');
  });
});

it('a certificate holds as long in the database as it does by the rules', async () => {
  const units = ['days', 'months', 'years'] as const;
  const cases = ['2027-01-31', '2027-02-28', '2028-02-29', '2027-08-31', '2027-12-01'].flatMap(
    (day) =>
    units.flatMap((unit) => [1, 2, 11, 12, 13, 90].flatMap((count) => [true, false].map((toMonthEnd) => ({ day, validity: { count, unit, toMonthEnd } satisfies Validity })))), // prettier-ignore
  );
  const found = await rows<{ until: string | null }>(
    house.db,
    'select valid_until(d, v) as until from unnest($1::date[], $2::jsonb[]) with ordinality u (d, v, n) order by n',
    [
      [...cases.map(({ day }) => day), '2027-01-01'],
      [...cases.map(({ validity }) => JSON.stringify(validity)), null],
    ],
  );
  expect(found.map(({ until }) => until)).toEqual([...cases.map(({ day, validity }) => expiryOf(day, validity)), null]);
});
