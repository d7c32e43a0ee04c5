import { describe, expect, it } from 'vitest';
import { STANDARD_DESIGN, type Design } from '@nudrik/core';
import { openPage, type OpenedPage } from '../../testing/page.ts';
import { AddCertificatePage } from './add.page.ts';
import { CertificatesPage } from './certificates.page.ts';
import { DesignPage } from './design.page.ts';
import { DesignState } from './design-state.ts';
import { DesignsPage } from './designs.page.ts';
import { Share } from './share.ts';
import { ShownPage } from './shown.page.ts';
import { VerifyPage } from './verify.page.ts';

const SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"></svg>';
const PEOPLE = {
  people: [
    { id: '1', name: 'Wilhelmina Oldenbarnevelt', why: 'longest name', missing: [] },
    { id: null, name: 'Ελένη Παπαδοπούλου', why: 'another script', missing: [] },
  ],
  courses: [{ id: '7', title: 'Fire Teams Aboard' }],
  missing: 0,
};
const VIEW = { id: '3', name: 'Drill certificate', version: 2, isRetired: false, isHouse: false, design: STANDARD_DESIGN, courses: [{ id: '7', title: 'Fire Teams Aboard' }], issued: 12, versions: [{ version: 2, at: '2027-02-01T08:00:00Z', byWhom: 'Sigrid Aune', issued: 4 }, { version: 1, at: '2027-01-01T08:00:00Z', byWhom: 'Tora Hauge', issued: 8 }], changedAt: '2027-02-01T08:00:00Z', changedBy: 'Sigrid Aune' }; // prettier-ignore
const SEEN = {
  sheets: [
    { name: 'Wilhelmina Oldenbarnevelt', svg: SVG, faults: [{ element: 'name', words: 'Name is set in 6.0 points to fit, which is hard to read.' }] },
    { name: 'Ελένη Παπαδοπούλου', svg: SVG, faults: [] },
  ],
  pieces: [{ element: 'name', svg: SVG }],
  remarks: [{ element: 'logo', words: 'The house has no picture as PNG or JPEG: the place of the logo stays empty.' }],
  pictures: [],
}; // prettier-ignore
const LOOK = '/api/certificate-designs/preview';

async function openDesign(): Promise<OpenedPage<DesignPage>> {
  localStorage.clear();
  const page = await openPage(DesignPage, { inputs: { id: '3' } });
  await page.answer('/api/certificate-designs/3', VIEW);
  await page.answer('/api/certificate-designs/people', PEOPLE);
  await page.answer(LOOK, SEEN);
  await page.settle();
  return page;
}
const boxOf = (page: OpenedPage<unknown>, name: string): HTMLElement =>
  [...page.root.querySelectorAll<HTMLElement>('.box')].find((box) => box.getAttribute('aria-label') === name)!;
const press = async (page: OpenedPage<unknown>, element: HTMLElement, key: string, rest: object = {}): Promise<void> => {
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...rest }));
  await page.settle();
};

describe('a design', () => {
  it('shows real people with what does not fit, and what is to be looked at', async () => {
    const page = await openDesign();
    expect(page.text()).toContain('Version 2, 1 Feb 2027 by Sigrid Aune. Used by Fire Teams Aboard. What was issued keeps its version.');
    expect(page.text()).toContain('Wilhelmina Oldenbarnevelt longest name Name is set in 6.0 points to fit, which is hard to read.');
    expect(page.text()).toContain('the place of the logo stays empty.');
    expect(page.getByRole('img', { name: 'The certificate of Ελένη Παπαδοπούλου' })).toBeTruthy();
  });

  it('is placed by keys, undone and done again, switched part by part, and saved as the next version', async () => {
    const page = await openDesign();
    const name = boxOf(page, 'Name');
    name.dispatchEvent(new FocusEvent('focus'));
    await page.settle();
    await press(page, name, 'ArrowRight');
    await press(page, name, 'ArrowDown', { shiftKey: true });
    expect((page.getByLabelText('From the left, in millimetres') as HTMLInputElement).value).toBe('33.5');
    expect((page.getByLabelText('From the top, in millimetres') as HTMLInputElement).value).toBe('77');
    expect(page.text()).toContain('Name is set in 6.0 points'); // beside what it is about, too
    await page.click(page.getByRole('button', { name: 'Undo' }));
    expect((page.getByLabelText('From the left, in millimetres') as HTMLInputElement).value).toBe('32.5');
    await press(page, page.root, 'z', { ctrlKey: true, shiftKey: true });
    expect((page.getByLabelText('From the left, in millimetres') as HTMLInputElement).value).toBe('33.5');
    await press(page, name, 'Escape');
    await page.click(page.getByRole('checkbox', { name: 'Score' }));
    await page.click(page.getByRole('checkbox', { name: 'Serial' }));
    await page.answer(LOOK, SEEN);
    await page.click(page.getByRole('button', { name: 'Save' }));
    const sent = (await page.answer('/api/certificate-designs/3', { ...VIEW, version: 3 }, 'PUT')).body as {
      version: number;
      design: Design;
    };
    expect(sent.version).toBe(2);
    const of = (id: string) => sent.design.elements.find((element) => element.id === id)!;
    expect([of('name').box.x, of('name').box.y, of('score').isOn, of('serial').isOn]).toEqual([33.5, 77, true, false]);
    expect(page.text()).toContain('Version 3 is kept: certificates that are issued from now on look so.');
  });

  it('that somebody else saved meanwhile is refused, and nothing is lost', async () => {
    const page = await openDesign();
    await page.click(page.getByRole('checkbox', { name: 'Score' }));
    await page.answer(LOOK, SEEN);
    await page.click(page.getByRole('button', { name: 'Save' }));
    await page.refuse('/api/certificate-designs/3', { code: 'stale', message: 'Version 3 of the design was saved.' });
    expect(page.getByRole('alert').textContent).toContain('Version 3 of the design was saved.');
    expect((page.getByRole('checkbox', { name: 'Score' }) as HTMLInputElement).checked).toBe(true);
    expect(localStorage.getItem('nudrik.work.design/3')).toContain('"version":2');
    localStorage.clear();
  });

  it('is read by a trainer, and not changed', async () => {
    localStorage.clear();
    const page = await openPage(DesignPage, { inputs: { id: '3' }, role: 'auditor' });
    await page.answer('/api/certificate-designs/3', VIEW);
    await page.answer('/api/certificate-designs/people', PEOPLE);
    await page.answer(LOOK, SEEN);
    expect(page.queryByRole('button', { name: 'Save' })).toBeNull();
    expect((page.getByRole('checkbox', { name: 'Score' }) as HTMLInputElement).disabled).toBe(true);
    const name = boxOf(page, 'Name');
    name.dispatchEvent(new FocusEvent('focus'));
    await press(page, name, 'Delete');
    expect(boxOf(page, 'Name')).toBeTruthy();
  });
});

describe('what is done to a design', () => {
  it('adds, layers, duplicates and takes off; each can be taken back', () => {
    const state = new DesignState(STANDARD_DESIGN);
    const ids = (): string[] => state.design().elements.map(({ id }) => id);
    state.add('signature');
    expect([state.chosen(), ids().at(-1)]).toEqual(['signature', 'signature']);
    state.duplicate();
    expect(ids().slice(-2)).toEqual(['signature', 'picture']);
    state.layer('picture', -1);
    expect(ids().slice(-2)).toEqual(['picture', 'signature']);
    state.layer('frame', -1); // the last already
    expect(ids()[0]).toBe('frame');
    state.remove();
    expect(ids()).not.toContain('picture');
    for (let i = 0; i < 4; i++) state.history.undo();
    expect(state.design()).toEqual(STANDARD_DESIGN);
  });

  it('switches a part that is on no sheet yet by putting it there', () => {
    const state = new DesignState({ ...STANDARD_DESIGN, elements: [] });
    expect(state.isOn('expiry')).toBe(false);
    state.switchPart('expiry', true);
    expect(state.design().elements).toMatchObject([{ id: 'expiry', kind: 'text', label: 'Valid until', text: '{certificate expiry}' }]);
    state.switchPart('expiry', false);
    expect(state.isOn('expiry')).toBe(false);
    expect(state.design().elements).toHaveLength(1);
  });

  it('turns the sheet with all that is on it', () => {
    const state = new DesignState(STANDARD_DESIGN);
    state.turn('letter', false);
    expect(state.sheet()).toEqual({ w: 215.9, h: 279.4 });
    for (const { box } of state.design().elements) expect(box.x + box.w).toBeLessThanOrEqual(216);
  });
});

it('designs stand side by side with who uses them; another is taken for the house', async () => {
  const page = await openPage(DesignsPage);
  const rows = [
    { id: null, name: 'Double line', version: 0, isRetired: false, isHouse: true, courses: [], issued: 0, changedAt: null, changedBy: null, svg: SVG },
    { id: '3', name: 'Drill certificate', version: 2, isRetired: false, isHouse: false, courses: [{ id: '7', title: 'Fire Teams Aboard' }], issued: 1, changedAt: '2027-02-01T08:00:00Z', changedBy: 'Sigrid Aune', svg: SVG },
  ]; // prettier-ignore
  await page.answer('/api/certificate-designs', rows);
  expect(page.text()).toContain('Used where a course says nothing else.');
  expect(page.text()).toContain('Version 2, 1 Feb 2027 by Sigrid Aune; 1 certificate issued. Used by Fire Teams Aboard.');
  await page.click(page.getByRole('button', { name: 'Take Drill certificate where a course says nothing else' }));
  expect((await page.answer('/api/certificate-designs/house', rows)).body).toEqual({ id: '3' });
  await page.answer('/api/certificate-designs', rows);
  await page.click(page.getByRole('button', { name: 'New design' }));
  await page.type(page.getByLabelText(/^Name/), 'Yard certificate');
  await page.choose(page.getByLabelText('What it begins as'), 'a copy of Drill certificate');
  await page.click(page.getByRole('button', { name: 'Make it' }));
  expect((await page.answer('/api/certificate-designs', { id: '9' }, 'POST')).body).toEqual({
    name: 'Yard certificate',
    from: { id: '3' },
  });
  expect(page.router.url).toBe('/certificates/designs/9');
});

describe('the register', () => {
  const row = { serial: '7F3K-9QWD-X', person: { id: '1', name: 'Runa Aske' }, course: { id: '7', title: 'Fire Teams Aboard' }, issuedOn: '2026-03-01', expiresOn: '2027-03-20', state: 'expiring', revoked: null, replaced: null, theirs: null, nameNow: 'Runa Berg', isShown: false }; // prettier-ignore
  const theirs = {
    ...row,
    serial: 'AAAA-AAAA-A',
    state: 'current',
    nameNow: null,
    theirs: { issuer: 'Tarn Medical School', number: 'TM 77', hasProof: true },
  };
  const url = '/api/certificates?page=0&size=60';
  const open = async () => {
    const page = await openPage(CertificatesPage);
    await page.answer(url, { rows: [row, theirs, { ...row, serial: 'BBBB-BBBB-B', state: 'replaced', replaced: { by: 'Sigrid Aune', at: '2027-02-01T08:00:00Z', reason: 'The name changed', serial: '7F3K-9QWD-X' } }], total: 3 }); // prettier-ignore
    await page.answer('/api/courses', []);
    return page;
  };

  it('says who is called otherwise now, what took whose place, and what others issued', async () => {
    const page = await open();
    expect(page.text()).toContain('is called Runa Berg now');
    expect(page.text()).toContain('replaced by 7F3K-9QWD-X, 1 Feb 2027 by Sigrid Aune: The name changed');
    expect(page.text()).toContain('issued by Tarn Medical School, TM 77');
    expect(page.getByRole('link', { name: 'Proof of AAAA-AAAA-A' }).getAttribute('href')).toBe('/api/certificates/AAAA-AAAA-A/proof');
    expect(page.queryByRole('button', { name: 'Issue AAAA-AAAA-A again' })).toBeNull();
  });

  it('issues one again with its reason, and says what came of it', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Issue 7F3K-9QWD-X again' }));
    await page.click(page.getByRole('button', { name: 'Issue it again' }));
    expect((await page.answer('/api/certificates/7F3K-9QWD-X/reissue', { serial: 'CCCC-CCCC-C' })).body).toEqual({
      reason: 'The name changed',
    });
    expect(page.text()).toContain(
      'The certificate of Runa Berg for Fire Teams Aboard is issued again as CCCC-CCCC-C; 7F3K-9QWD-X says that it was replaced.',
    );
  });

  it('makes a file of what is chosen, or of all that fits', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'as one PDF' }));
    expect((await page.answer('/api/certificates/file', { href: '', name: 'certificates.pdf', count: 2, left: 1 })).body).toEqual({ as: 'pdf', serials: null, filter: { state: 'all' } }); // prettier-ignore
    expect(page.text()).toContain('certificates.pdf: 2 certificates; 1 certificate that others issued are not in it.');
    await page.click(page.getByLabelText('Choose 7F3K-9QWD-X of Runa Aske'));
    await page.click(page.getByRole('button', { name: 'each by itself, in a zip' }));
    expect((await page.refuse('/api/certificates/file', { code: 'wrong-input', message: 'No certificate fits.' })).body).toEqual({ as: 'zip', serials: ['7F3K-9QWD-X'], filter: null }); // prettier-ignore
    expect(page.getByRole('alert').textContent).toContain('No certificate fits.');
  });
});

it('a certificate of others is added with what stands on it, once nothing is missing', async () => {
  const page = await openPage(AddCertificatePage);
  await page.answer('/api/courses', [{ id: '7', title: 'First Aid at Sea', state: 'live' }]);
  expect(page.text()).toContain('Choose whose it is.');
  await page.click(page.getByLabelText('one that others issued'));
  (page.fixture.componentInstance as unknown as { person: { set(one: object): void } }).person.set({ id: '1', name: 'Runa Aske' });
  await page.settle();
  await page.choose(page.getByLabelText('Course'), 'First Aid at Sea');
  await page.type(page.getByLabelText('Issued on'), '2027-02-01');
  await page.type(page.getByLabelText('Valid until'), '2029-06-30');
  expect(page.text()).toContain('Say who issued it.');
  await page.type(page.getByLabelText('Who issued it'), 'Tarn Medical School');
  await page.type(page.getByLabelText('Why it is added by hand'), 'Seen by me');
  await page.click(page.getByRole('button', { name: 'Add it' }));
  expect((await page.answer('/api/certificates', { serial: 'X', words: 'Recorded.' })).body).toEqual({
    personId: '1', courseId: '7', finishedOn: '2027-02-01', reason: 'Seen by me', theirs: { issuer: 'Tarn Medical School', number: null, expiresOn: '2029-06-30', proofId: null },
  }); // prettier-ignore
  expect(page.router.url).toBe('/certificates?person=1');
});

describe('a certificate that is shown', () => {
  it('is made a page of by its holder, and ended', async () => {
    const page = await openPage(Share, { inputs: { token: 'abc' } });
    await page.answer('/api/learning/abc/shown', { url: null, madeAt: null, canShow: true });
    await page.click(page.getByRole('button', { name: 'Show it to others' }));
    await page.answer('/api/learning/abc/shown', { url: 'http://house/shown/xyz', madeAt: '2027-03-01T09:00:00Z', canShow: true }, 'POST');
    expect((page.getByLabelText(/^Address of the page/) as HTMLInputElement).value).toBe('http://house/shown/xyz');
    await page.click(page.getByRole('button', { name: 'End it' }));
    await page.answer('/api/learning/abc/shown', { url: null, madeAt: null, canShow: true }, 'DELETE');
    expect(page.getByRole('button', { name: 'Show it to others' })).toBeTruthy();
  });

  it('says whether it holds, and offers a badge only while it does', async () => {
    const shown = { answer: 'genuine', serial: '7F3K-9QWD-X', name: 'Runa Aske', course: 'Fire Teams Aboard', issuedOn: '2027-03-01', expiresOn: null, organisation: 'Orlasund Ferries', svg: SVG, hasBadge: true }; // prettier-ignore
    const page = await openPage(ShownPage, { inputs: { link: 'xyz' } });
    await page.answer('/api/shown/xyz', shown);
    expect(page.text()).toContain('Genuine, as Orlasund Ferries has it on record today.');
    expect(page.getByRole('link', { name: 'As a signed badge' }).getAttribute('href')).toBe('/api/shown/xyz/badge');
    const revoked = await openPage(ShownPage, { inputs: { link: 'xyz' } });
    await revoked.answer('/api/shown/xyz', { ...shown, answer: 'revoked', hasBadge: false });
    expect(revoked.text()).toContain('Revoked');
    expect(revoked.queryByRole('link', { name: 'As a signed badge' })).toBeNull();
    const gone = await openPage(ShownPage, { inputs: { link: 'xyz' } });
    await gone.refuse('/api/shown/xyz', { code: 'wrong-link', message: 'Nothing is shown here, or not any more.' }, 404);
    expect(gone.getByRole('heading', { name: 'Nothing is shown here' })).toBeTruthy();
  });

  it('that another took the place of is told so where its serial is typed', async () => {
    const page = await openPage(VerifyPage, { inputs: { serial: '7F3K-9QWD-X' } });
    await page.answer('/api/verify/7F3K-9QWD-X', { answer: 'replaced', serial: '7F3K-9QWD-X', name: 'Runa Aske', course: 'Fire Teams Aboard', issuedOn: '2026-03-01', expiresOn: null, organisation: 'Orlasund Ferries' }); // prettier-ignore
    expect(page.getByRole('heading', { name: 'Replaced by a newer one' })).toBeTruthy();
  });
});
