import { expect, test, type Page } from '@playwright/test';
import { area, choose, findMail, list, press, signInAs } from './pages.ts';

// a crest with a script in it: it is drawn as a picture, and nothing of it runs
const CREST = Buffer.from('<svg xmlns="http://www.w3.org/2000/svg" width="300" height="120"><script>document.title = "ran"</script><rect width="300" height="120" fill="#2f6b3a" onclick="alert(1)"/></svg>'); // prettier-ignore

const unit = { id: 'new-1', kind: 'page', title: 'The brake', required: true, weight: 1, release: null, body: '<p>Brake on, then the hook.</p>', url: null, fileId: null, quiz: null, video: null, survey: null }; // prettier-ignore

/** A small course that is certified by a design, live, and asked of one person. */
async function makeCourse(page: Page, design: string, person: string): Promise<void> {
  const { csrf } = (await (await page.request.get('/api/session')).json()) as { csrf: string };
  const send = async <T>(method: 'post' | 'put', path: string, data: object): Promise<T> => {
    const answer = await page.request[method](path, { data, headers: { 'x-csrf-token': csrf } });
    expect(answer.ok(), await answer.text()).toBe(true);
    return (await answer.json()) as T;
  };
  const { id } = await send<{ id: string }>('post', '/api/courses', { title: 'Boat Winch' });
  const content = { title: 'Boat Winch', certificate: 'issued', validity: { count: 90, unit: 'days', toMonthEnd: true }, certificateDesignId: design, summary: 'The winch of the rescue boat.', sections: [{ id: null, title: 'One', units: [unit] }] }; // prettier-ignore
  const draft = (await (await page.request.get(`/api/courses/${id}/draft`)).json()) as {
    version: number;
    content: { ownerId: string | null };
  };
  const { version } = await send<{ version: number }>('put', `/api/courses/${id}/draft`, { version: draft.version, save: 'winch-0001', content: { ...content, ownerId: '1' } }); // prettier-ignore
  await send('post', `/api/courses/${id}/live`, { version });
  const people = (await (await page.request.get(`/api/people?find=${encodeURIComponent(person)}`)).json()) as { rows: { id: string }[] };
  await send('post', '/api/assignments', { courseId: id, personIds: [people.rows[0]!.id], dueOn: '2027-12-01' });
}

test('a certificate is designed and looked at with the longest name; finishing brings it by mail; it is shown, verified, revoked', async ({
  page,
  browser,
}) => {
  await signInAs(page, 'Sigrid Aune');
  await area(page, 'Certificates');
  await page.getByRole('link', { name: 'Designs' }).click();
  await page.getByRole('button', { name: 'New design' }).click();
  await page.getByRole('textbox', { name: 'Name' }).fill('Winch certificate');
  await choose(list(page, 'What it begins as'), 'In the middle: upright, one line around it, everything in the middle');
  await page.getByRole('button', { name: 'Make it' }).click();

  // the name in a place that is too narrow for the longest: it shrinks, then wraps, and what is hard to read is said
  const sheet = page.getByRole('group', { name: 'The sheet, its elements from the back to the front' });
  await expect(page.getByText('longest name').first()).toBeVisible();
  const name = sheet.getByRole('group', { name: 'Name', exact: true });
  await name.click();
  const wide = page.getByLabel('Wide, in millimetres');
  const before = await page.getByLabel('From the left, in millimetres').inputValue();
  await name.press('ArrowRight');
  await expect(page.getByLabel('From the left, in millimetres')).toHaveValue(String(Number(before) + 1));
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByLabel('From the left, in millimetres')).toHaveValue(before);
  await wide.fill('8');
  await wide.press('Enter');
  await expect(page.getByText(/Name is set in .* points to fit, which is hard to read|Name does not fit/).first()).toBeVisible();
  await wide.fill('162');
  await wide.press('Enter');
  await expect(page.getByText(/Name is set in|Name does not fit/)).toHaveCount(0);

  // dragged, it is set against what it comes near to
  const line = sheet.getByRole('group', { name: 'Line below the name' });
  const box = (await line.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + 5);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 + 30, box.y + 30, { steps: 5 });
  await page.mouse.move(box.x + box.width / 2 + 1, box.y + 15, { steps: 5 });
  await expect(sheet.locator('.guide.down').first()).toBeVisible();
  await page.mouse.up();
  await expect(page.getByLabel('From the left, in millimetres')).toHaveValue('28');

  // a signature as a picture, of any kind
  await choose(list(page, 'Put onto the sheet'), 'a signature, as a picture');
  await expect(page.getByText('Signature has no picture yet', { exact: false })).toHaveCount(0);
  await page.getByLabel('Picture of Signature').setInputFiles({ name: 'crest.svg', mimeType: 'image/svg+xml', buffer: CREST });
  await expect(page.getByText(/Signature has \d+ pixels for an inch|Another picture/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('Version 2 is kept')).toBeVisible();
  expect(await page.title()).not.toBe('ran');
  const design = new URL(page.url()).pathname.split('/').at(-1)!;

  await makeCourse(page, design, 'Runa Aske');
  const own = await (await browser.newContext({ baseURL: test.info().project.use.baseURL! })).newPage();
  await signInAs(own, 'Runa Aske');
  await own.getByRole('row', { name: /Boat Winch/ }).getByRole('link').first().click(); // prettier-ignore
  await own.getByRole('button', { name: /The brake/ }).click();
  await own.getByRole('button', { name: 'Mark it done' }).click();
  await expect(own.getByText('You finished. Well done.')).toBeVisible();
  const serial = /certificate ([0-9A-Z]{4}-[0-9A-Z]{4}-[0-9A-Z])/.exec(await own.locator('.success').innerText())![1]!;

  // by mail, with the link to it
  await expect(async () => {
    await page.goto('/post-room');
    await press(page, 'next notice');
    await findMail(page, 'Boat Winch');
    await expect(page.getByRole('row', { name: /certificate/i }).first()).toBeVisible({ timeout: 2_000 });
  }).toPass({ timeout: 90_000 });

  // she shows it to others; what they see is what it says
  await own.getByRole('button', { name: 'Show it to others' }).click();
  const address = await own.getByLabel('Address of the page that shows your certificate').inputValue();
  const stranger = await (await browser.newContext()).newPage();
  await stranger.goto(address);
  await expect(stranger.getByRole('heading', { name: 'Runa Aske: Boat Winch' })).toBeVisible();
  await expect(stranger.getByText('Genuine')).toBeVisible();
  await expect(stranger.locator('body')).not.toContainText('@');
  const badge = await stranger.request.get(`/api/shown/${address.split('/').at(-1)}/badge`);
  expect((await badge.text()).split('.')).toHaveLength(3);

  // issued again, the former says so; revoked, everybody is told
  await page.goto(`/certificates?find=${serial}`);
  await page.getByRole('button', { name: `Issue ${serial} again` }).click();
  await page.getByRole('textbox', { name: 'Why is it issued again?' }).fill('A slip in the design');
  await page.getByRole('button', { name: 'Issue it again' }).click();
  const told = page.getByRole('status').filter({ hasText: 'is issued again as' });
  const again = /as ([0-9A-Z-]{11});/.exec(await told.innerText())![1]!;
  await stranger.goto(`/verify/${serial}`);
  await expect(stranger.getByRole('heading', { name: 'Replaced by a newer one' })).toBeVisible();
  await stranger.goto(address);
  await expect(stranger.getByRole('heading', { name: 'Nothing is shown here' })).toBeVisible();
  await page.goto(`/certificates?find=${again}`);
  await page.getByRole('button', { name: `Revoke ${again}` }).click();
  await page.getByRole('textbox', { name: 'Why is it revoked?' }).fill('Tried out');
  await page.getByRole('button', { name: 'Revoke it for good' }).click();
  await expect(page.getByRole('status')).toContainText('is revoked');
  await stranger.goto(`/verify/${again}`);
  await expect(stranger.getByRole('heading', { name: 'Revoked' })).toBeVisible();
});

test('a selection becomes one file, made in the background', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/certificates?state=current');
  const boxes = page.getByRole('checkbox', { name: /^Choose [0-9A-Z]{4}-/ });
  await boxes.nth(0).check();
  await boxes.nth(1).check();
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'as one PDF' }).click()]);
  expect(file.suggestedFilename()).toMatch(/^certificates-\d{4}-\d{2}-\d{2}\.pdf$/);
  await expect(page.getByRole('status').filter({ hasText: '2 certificates' })).toBeVisible();
});

test('a certificate of others counts, with what shows it', async ({ page }) => {
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/certificates/add');
  await page.getByLabel('one that others issued').check();
  await page.getByRole('combobox', { name: 'Person' }).fill('Odd Nes');
  await page.getByRole('option', { name: /Odd Nes/ }).first().click(); // prettier-ignore
  await choose(list(page, 'Course'), 'Safe Lifting');
  await page.getByRole('textbox', { name: 'Issued on' }).fill('2 May 2026');
  await page.getByRole('textbox', { name: 'Valid until' }).fill('2 May 2031');
  await page.getByLabel('Who issued it').fill('Tarn Lifting School');
  await page
    .getByLabel('Its scan or file, as proof')
    .setInputFiles({ name: 'scan.txt', mimeType: 'text/plain', buffer: Buffer.from('Seen: 2 May.') });
  await expect(page.getByText('scan.txt')).toBeVisible();
  await page.getByLabel('Why it is added by hand').fill('Learnt elsewhere');
  await page.getByRole('button', { name: 'Add it' }).click();
  const row = page.getByRole('row', { name: /issued by Tarn Lifting School/ });
  await expect(row).toContainText('2 May 2031');
  expect(await (await page.request.get((await row.getByRole('link', { name: /^Proof of/ }).getAttribute('href'))!)).text()).toBe(
    'Seen: 2 May.',
  );
});
