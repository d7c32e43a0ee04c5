import { PDFDocument } from 'pdf-lib';
import { expect, test, type Page } from '@playwright/test';
import { area, choose, chooseFile, clock, csv, findMail, list, press, settled, signInAs } from './pages.ts';

/** One administrator's first days, from a roster file to the proof that a deckhand was told and finished. */
/** A page with nothing on it. */
async function makePdf(): Promise<PDFDocument> {
  const made = await PDFDocument.create();
  made.addPage([300, 200]);
  return made;
}

test.describe.configure({ mode: 'serial' });

const HEADER = 'name,email,department,site,job,manager email,joined on';
const NEW_PEOPLE = [
  'Nils Tarvik,nils.tarvik@orlasund.example,Deck,Vessel pool,Deckhand,ivar.moen@orlasund.example,2024-01-08',
  'Maud Ellery,maud.ellery@orlasund.example,Terminal,Tarn Ness,Linesman,duncan.farquhar@orlasund.example,2023-05-02',
];
let page: Page;
let link = '';

test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
});
test.afterAll(() => page.close());

test('signs in, and the day ribbon stands on the page', async () => {
  await signInAs(page, 'Sigrid Aune');
  await expect(page.getByRole('heading', { name: 'Wednesday 6 May' })).toBeVisible();
  await expect(page.getByText(/Bo Lervik (has|is late)/)).toBeVisible();
  await expect(page.getByRole('button', { name: /^Mon 11 May: \d+ planned/ })).toBeVisible();
});

test('imports a roster: preview first, nothing stored before it is taken, the same file again changes nothing', async () => {
  await area(page, 'People');
  await page.getByRole('link', { name: 'Import a roster file' }).click();
  const file = csv(
    HEADER,
    ...NEW_PEOPLE,
    'Runa Aske,runa.aske@orlasund.example,Deck,Vessel pool,Boatswain,torill.lunde@orlasund.example,',
    'Wrong Row,wrong,Deck,Vessel pool,,,',
  );
  await chooseFile(page, file);
  await expect(page.getByTestId('counts')).toHaveText(/2\s*added.*1\s*changed.*0\s*unchanged\s*1\s*problem/s);
  await expect(page.getByRole('row', { name: /5 email "wrong" is not a mail address/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /4 Runa Aske job Deckhand Boatswain/ })).toBeVisible();
  const stored = await page.request.get('/api/people?find=tarvik');
  expect((await stored.json()).total).toBe(0);
  await page.getByRole('button', { name: 'Take 3 changes' }).click();
  await expect(page.getByText('2 added, 1 changed')).toBeVisible();

  await page.getByRole('button', { name: 'Look at the people' }).click();
  await page.getByRole('link', { name: 'Import a roster file' }).click();
  await chooseFile(page, csv(HEADER, ...NEW_PEOPLE));
  await expect(page.getByTestId('counts')).toHaveText(/0\s*added.*0\s*changed.*2\s*unchanged/s);
  await expect(page.getByRole('button', { name: 'Take 0 changes' })).toBeDisabled();
});

test('finds, sorts and filters people on the server, and opens one as a sheet with an address of its own', async () => {
  await area(page, 'People');
  await page.keyboard.press('/');
  await page.keyboard.type('tarvik');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('row', { name: /Nils Tarvik/ })).toBeVisible();
  await expect(page.getByText('1 shown')).toBeVisible();
  await page.getByRole('row', { name: /Nils Tarvik/ }).click();
  await expect(page).toHaveURL(/\/people\/\d+/);
  await expect(page.getByRole('complementary', { name: 'Person' })).toContainText('Ivar Moen');
  await page.keyboard.press('Escape');
  await expect(page).toHaveURL(/\/people\?/);
});

const titles = () => page.locator('[data-line]').evaluateAll((lines) => lines.map((line) => (line as HTMLInputElement).value));
const kept = () => expect(page.getByText(/^\s*saved \d\d:\d\d/)).toBeVisible();

test('makes a course by keyboard: sections, a page, a link, a file, moved about; kept as it is written', async () => {
  await area(page, 'Courses');
  await page.getByRole('link', { name: 'New course' }).click();
  await expect(page.getByLabel('Title, as it stands in every message')).toBeFocused();
  await page.keyboard.type('Night Watch Handover');
  await page.keyboard.press('Enter');
  await expect(page).toHaveURL(/\/courses\/\d+$/);
  await page.getByLabel('Code').fill('DCK-09');
  await page.getByLabel('Summary').fill('What the watch that ends owes the watch that begins.');
  await page.getByLabel('Title of section 1').focus();
  const line = async (text: string, ...keys: string[]) => {
    await page.keyboard.type(text);
    for (const key of keys) await page.keyboard.press(key);
  };
  const focused = (name: string) => expect(page.getByLabel(name)).toBeFocused();
  await page.keyboard.press('Enter');
  await focused('Unit 1 of First section');
  await line('The five sentences', 'Enter');
  await focused('Unit 2 of First section');
  await line('link: Public guidance', 'Enter');
  await focused('Unit 3 of First section');
  await page.keyboard.press('Shift+Tab');
  await focused('Title of section 2');
  await line('Afterwards', 'Enter');
  await focused('Unit 1 of Afterwards');
  await line('Signing the log', 'Enter');
  await focused('Unit 2 of Afterwards');
  await line('file: Watch card', 'Alt+ArrowUp');
  expect(await titles()).toEqual(['First section', 'The five sentences', 'Public guidance', 'Afterwards', 'Watch card', 'Signing the log']);
  await page.keyboard.press('Control+Enter');
  const sheet = page.locator('nk-unit-sheet');
  await sheet
    .locator('input[type=file]')
    .setInputFiles({ name: 'watch-card.pdf', mimeType: 'application/pdf', buffer: Buffer.from(await (await makePdf()).save()) });
  await expect(sheet.getByRole('link', { name: 'watch-card.pdf' })).toBeVisible();
  await sheet.getByRole('checkbox', { name: 'required' }).uncheck();
  await page.keyboard.press('Escape');
  await focused('Unit 1 of Afterwards');
  await page.getByRole('button', { name: 'Open Public guidance' }).click();
  await sheet.getByLabel('Web address').fill('https://water-safety.example/watch');
  await sheet.getByRole('checkbox', { name: 'required' }).uncheck();
  await page.getByRole('button', { name: 'Open The five sentences' }).click();
  await sheet.getByRole('textbox', { name: 'Text of the page' }).fill('Position, course, traffic, weather, orders.');
  await sheet.getByRole('button', { name: 'Close' }).click();
  const grips = page.locator('.grip');
  await grips.nth(2).hover();
  await page.mouse.down();
  const target = await grips.nth(0).boundingBox();
  await page.mouse.move(target!.x + 8, target!.y + 2, { steps: 12 });
  await page.mouse.up();
  await expect
    .poll(titles)
    .toEqual(['First section', 'Watch card', 'The five sentences', 'Public guidance', 'Afterwards', 'Signing the log']);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect
    .poll(titles)
    .toEqual(['First section', 'The five sentences', 'Public guidance', 'Afterwards', 'Watch card', 'Signing the log']);
  await kept();
  await page.reload();
  await expect
    .poll(titles)
    .toEqual(['First section', 'The five sentences', 'Public guidance', 'Afterwards', 'Watch card', 'Signing the log']);
});

test('goes live on a check list: nobody is asked for a draft, and what is missing is said and led to', async () => {
  await page.getByRole('link', { name: 'Go live …' }).click();
  await expect(page.getByRole('heading', { name: 'One thing is missing' })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Go live', exact: true })).toBeDisabled();
  await page
    .getByRole('row', { name: /Nobody decided whether finishing is certified/ })
    .getByRole('link', { name: 'Decide' })
    .click();
  await expect(list(page, 'Certificate')).toBeFocused();
  await choose(list(page, 'Certificate'), 'issued');
  await choose(list(page, 'How long it is valid'), 'for months');
  await expect(page.getByLabel('How many months')).toHaveValue('12');
  await page.getByRole('link', { name: 'Go live …' }).click();
  await expect(page.getByRole('row', { name: /all 2 required units are done/ })).toBeVisible();
  await page.getByRole('button', { name: 'Go live', exact: true }).click();
  await expect(page.getByText('It is live. Nobody is asked for it yet.')).toBeVisible();
});

test('the standard plan stands as a line of time; an unknown merge field is refused; an edit shows what it would change', async () => {
  await page.getByRole('link', { name: 'Plan', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Plan' })).toBeVisible();
  for (const step of ['Invitation', 'Getting started', 'Two days to go', 'Late', 'To the manager', 'Certificate'])
    await expect(page.getByRole('row', { name: new RegExp(step) })).toBeVisible();
  await expect(page.getByRole('row', { name: /Late/ })).toContainText('1 working day after due, 09:00; every 3 working days, 4 times');
  await expect(page.getByRole('row', { name: /To the manager/ })).toContainText('3 working days after due, 09:00, one message a day');

  await page.getByRole('row', { name: /Getting started/ }).click();
  await page.getByRole('button', { name: 'Edit message' }).click();
  const writer = page.getByRole('dialog', { name: 'Message of “Getting started”' });
  const text = writer.getByRole('textbox', { name: 'Text', exact: true });
  await text.fill('Hello {given nam}, have you begun?');
  await expect(writer.getByRole('alert')).toContainText('there is no such merge field. Did you mean {given name}?');
  await expect(page.getByRole('button', { name: 'Publish changes…' })).toBeDisabled();
  await text.fill('Hello {given name}, have you begun {course}? You have {units left} to go.');
  await expect(text.locator('.token')).toHaveText(['given name', 'course', 'units left']);
  // nobody has the course yet: it is read as if somebody had been assigned it
  await expect(writer.getByText('Nobody has this course open')).toBeVisible();
  await writer.getByRole('button', { name: 'Done' }).click();
  await page.getByLabel('Time of day').fill('09:30');
  await page.getByRole('button', { name: 'Publish changes…' }).click();
  await expect(page.getByRole('dialog')).toContainText('0 notices added');
  await page.getByRole('button', { name: 'Publish version 2' }).click();
  await expect(page.getByText('Version 2 is published')).toBeVisible();
});

test('assigns: before the confirm each step’s local moment for these very people, then the ledger fills while one watches', async () => {
  await page.goto('/people?find=tarvik');
  await page.getByRole('checkbox', { name: 'Choose Nils Tarvik' }).check();
  await page.getByPlaceholder('name, e-mail, number, job').fill('ellery');
  await page.getByRole('checkbox', { name: 'Choose Maud Ellery' }).check();
  await page.getByRole('button', { name: 'Assign to 2 chosen' }).click();
  await choose(list(page, 'Course'), 'Night Watch Handover');
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-05-08');
  const preview = page.getByTestId('preview');
  await expect(preview.getByRole('row', { name: /Nils Tarvik/ })).toContainText('Fri 8 May 17:00');
  await expect(preview.getByRole('row', { name: /Nils Tarvik/ })).toContainText('Wed 6 May 17:00');
  await expect(preview.getByRole('row', { name: /Maud Ellery/ })).toContainText('London time');
  await preview.getByRole('row', { name: /Maud Ellery/ }).click();
  await expect(preview).toContainText('To the manager to Duncan Farquhar');
  await page.getByRole('button', { name: 'Assign to 2', exact: true }).click();
  await expect(page.getByText('Assigned to 2 people')).toBeVisible();
  // what an act by hand sends waits, so that it can be taken back
  await expect(page.getByText('Nothing goes out before')).toBeVisible();

  await area(page, 'Ledger');
  await page.getByPlaceholder('person, step, course').fill('tarvik');
  await expect(page.getByRole('row', { name: /Nils Tarvik Invitation, Night Watch Handover planned/ })).toBeVisible();
  await press(page, 'next notice');
  await expect(page.getByRole('row', { name: /Nils Tarvik Invitation, Night Watch Handover delivered/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /Two days to go.*planned/ })).toBeVisible();
});

test('the mail arrived in the post room: HTML, plain text, headers, .eml', async () => {
  await page.getByRole('link', { name: 'Post' }).click();
  await findMail(page, 'nils.tarvik');
  await page.getByRole('row', { name: /nils.tarvik@.*Night Watch Handover: yours to finish/ }).click();
  const mail = page.getByRole('complementary', { name: 'Mail' });
  const body = page.frameLocator('iframe').locator('body');
  await expect(body).toContainText('Hello Nils');
  await expect(body).toContainText('What the watch that ends owes the watch that begins.');
  await expect(body).not.toContainText('{');
  await expect(body).toContainText('Just reply, Sigrid Aune reads it.');
  link = (await body.getByRole('link', { name: 'Open the course' }).getAttribute('href'))!;
  await mail.getByRole('button', { name: 'plain text' }).click();
  await expect(mail.locator('pre')).toContainText(link);
  await mail.getByRole('button', { name: 'headers' }).click();
  await expect(mail).toContainText('List-ID');
  // the reply comes in where it is kept, and says what it answers
  await expect(mail).toContainText(/replies\+n[0-9a-z]+-[a-z2-7]{16}@orlasund\.example/);
  const eml = await page.request.get(`/api/post-room/mails/${new URL(page.url()).pathname.split('/').at(-1)}/eml`);
  expect(eml.headers()['content-type']).toContain('message/rfc822');
  expect(await eml.text()).toContain('Subject: Night Watch Handover');
});

test('the employee opens the personal link, reads, marks units done and goes on later', async ({ browser }) => {
  const context = await browser.newContext();
  const employee = await context.newPage();
  await employee.goto(link);
  await expect(employee.getByRole('heading', { name: 'Night Watch Handover' })).toBeVisible();
  await expect(employee.getByText('Fri 8 May 17:00')).toBeVisible();
  await expect(employee.getByText('0 of 2 required units done')).toBeVisible();
  await employee.getByRole('button', { name: /The five sentences/ }).click();
  await expect(employee.getByText('Position, course, traffic, weather, orders.')).toBeVisible();
  await employee.getByRole('button', { name: 'Mark it done' }).click();
  await expect(employee.getByText('1 of 2 required units done')).toBeVisible();
  await expect(employee.getByRole('progressbar')).toHaveAttribute('aria-valuenow', '50');
  await context.close();
});

test('the reminder goes exactly 48 hours before due, by the demo clock', async () => {
  await area(page, 'Ledger');
  await page.getByPlaceholder('person, step, course').fill('tarvik');
  while (!/17:00/.test(await clock(page).innerText())) await press(page, 'next notice');
  await expect(clock(page)).toHaveText('Wed 6 May 2026 17:00');
  await expect(page.getByRole('row', { name: /Wed 6 May 17:00.*Nils Tarvik Two days to go.*(sent|delivered)/ })).toBeVisible();
  await page.getByRole('row', { name: /Nils Tarvik Two days to go/ }).click();
  const sheet = page.getByRole('complementary', { name: 'Notice' });
  await expect(sheet).toContainText('delivered');
  await expect(sheet).toContainText('due Fri 8 May 17:00, less 48 hours');
  await expect(page.frameLocator('iframe').locator('body')).toContainText('is due in 2 days');
  await expect(page.frameLocator('iframe').locator('body')).toContainText('You have 1 unit to go');
});

test('the last unit finishes the course: certificate by mail, PDF, verify page; reminders are cancelled and say why', async ({
  browser,
}) => {
  const context = await browser.newContext();
  const employee = await context.newPage();
  await employee.goto(link);
  await employee.getByRole('button', { name: /Signing the log/ }).click();
  await employee.getByRole('button', { name: 'Mark it done' }).click();
  await expect(employee.getByText('You finished. Well done.')).toBeVisible();
  const pdf = await employee.request.get(`/api/learning/${link.split('/').at(-1)}/certificate`);
  expect(pdf.headers()['content-type']).toBe('application/pdf');
  expect((await pdf.body()).subarray(0, 5).toString()).toBe('%PDF-');
  const serial = /certificate ([0-9A-Z]{4}-[0-9A-Z]{4}-[0-9A-Z])/.exec(await employee.locator('.success').innerText())![1]!;
  await employee.goto(`/verify/${serial}`);
  await expect(employee.getByRole('heading', { name: 'Genuine' })).toBeVisible();
  await expect(employee.getByText('Nils Tarvik')).toBeVisible();
  await expect(employee.locator('body')).not.toContainText('@');
  await employee.goto(`/verify/${serial.slice(0, 3)}${serial[3] === '7' ? '8' : '7'}${serial.slice(4)}`);
  await expect(employee.getByRole('heading', { name: 'Not known' })).toBeVisible();
  await context.close();

  await page.goto('/ledger?find=tarvik');
  await expect(page.getByRole('row', { name: /Nils Tarvik Certificate, Night Watch Handover delivered/ })).toBeVisible();
  await page
    .getByRole('row', { name: /Nils Tarvik Late, Night Watch Handover not sent: finished before/ })
    .first()
    .click();
  await expect(page.getByTestId('sentence')).toContainText('Nils Tarvik finished on Wed 6 May 17:00');
});

test('the other one stays late: notices in London time, and one gathered message a day to the manager', async () => {
  await page.getByRole('button', { name: /^Thu 14 May/ }).click();
  await page.getByRole('button', { name: 'Move the clock to this day' }).click();
  await expect(clock(page)).toHaveText('Thu 14 May 2026 09:00', { timeout: 60_000 });
  await settled(page);
  await press(page, 'next notice');
  await page.goto('/ledger?find=ellery');
  await expect(
    page.getByRole('row', {
      name: /Mon 11 May 10:00\s*09:00 London time.*Maud Ellery Late, Night Watch Handover delivered/,
    }),
  ).toBeVisible();
  await page.goto('/post-room');
  await findMail(page, 'duncan.farquhar');
  await page.getByRole('row', { name: /Wed 13 May 10:00.*duncan.farquhar@.*Late with required training/ }).click();
  const letter = page.frameLocator('iframe').locator('body');
  await expect(letter).toContainText('Hello Duncan');
  await expect(letter.getByRole('row', { name: /Maud Ellery Night Watch Handover Fri 8 May 17:00 5 Mon 11 May 09:00/ })).toBeVisible();
  const mornings = await page.getByRole('row', { name: /Wed 13 May 10:00.*duncan.farquhar@/ }).count();
  expect(mornings).toBe(1);
});

test('the manager sees the same in My team', async ({ browser }) => {
  const context = await browser.newContext();
  const manager = await context.newPage();
  await signInAs(manager, 'Duncan Farquhar');
  await expect(manager.getByRole('heading', { name: 'My team' })).toBeVisible();
  await expect(manager.getByRole('row', { name: /Maud Ellery.*Night Watch Handover.*Fri 8 May 17:00/ })).toBeVisible();
  await expect(manager.getByRole('navigation')).not.toContainText('Ledger');
  await manager
    .getByRole('button', { name: /^Act on .* of Maud Ellery$/ })
    .first()
    .click();
  await manager.getByRole('textbox', { name: 'New due date' }).fill('2026-05-29');
  await manager.getByLabel('Reason').fill('Was on the night boat');
  await manager.getByRole('button', { name: 'Extend', exact: true }).click();
  await expect(manager.getByRole('row', { name: /Maud Ellery.*Night Watch Handover.*Fri 29 May 17:00.*not started/ })).toBeVisible();
  await context.close();
});

test('who was notified, who finished: table, filters, and the same in CSV and XLSX', async () => {
  await area(page, 'Matrix');
  await page.getByRole('link', { name: 'Courses', exact: true }).last().click();
  await page.getByRole('row', { name: /Night Watch Handover/ }).click();
  await expect(page.getByRole('row', { name: /Nils Tarvik.*2 of 2\s*finished.*Certificate, Wed 6 May/ })).toBeVisible();
  const maud = page.getByRole('row', { name: /Maud Ellery/ });
  await expect(maud).toContainText('0 of 2');
  await expect(maud).toContainText('Two days to go');
  await expect(page.getByRole('img', { name: /Finished, in progress, not started and late/ })).toBeVisible();
  await page.getByRole('button', { name: '1 finished' }).click();
  await expect(maud).toBeHidden();
  const course = new URL(page.url()).pathname.split('/').at(-1);
  const text = (await (await page.request.get(`/api/reports/file?kind=csv&report=course&course=${course}`)).text()).replace(/^\ufeff/, '');
  const lines = text.trim().split('\n');
  expect(lines[0]).toContain(
    'Person,Personnel number,E-mail,Department,Site,Manager,Assigned,Due,Progress,State,Finished,Certificate,Last notice',
  );
  expect(lines.find((line) => line.startsWith('Nils Tarvik'))).toContain('2 of 2,finished,2026-05-06 17:00');
  expect(lines).toHaveLength(3);
  const xlsx = await page.request.get(`/api/reports/file?kind=xlsx&report=course&course=${course}`);
  expect((await xlsx.body()).subarray(0, 2).toString()).toBe('PK');
});

test('why: for a person and a step without a notice, the sentence and its trace', async () => {
  await page.goto('/matrix?by=course');
  await page.getByRole('row', { name: /Night Watch Handover/ }).click();
  await page.getByRole('button', { name: 'Why: a step for Maud Ellery' }).click();
  await page.getByRole('menuitem', { name: 'Certificate?' }).click();
  await expect(page.getByTestId('sentence')).toHaveText('Waits for: finished.');
  await expect(page.getByRole('heading', { name: 'Why there is none' })).toBeVisible();
});

test('a step switched off takes its notices away, and says so first', async () => {
  await area(page, 'Plans');
  await page.getByRole('row', { name: /Night Watch Handover/ }).click();
  await page.getByRole('switch', { name: 'Two days to go switched on' }).click();
  await page.getByRole('button', { name: 'Publish changes…' }).click();
  await expect(page.getByRole('dialog')).toContainText('1 dropped');
  await expect(page.getByRole('dialog').getByRole('row', { name: /Maud Ellery Two days to go Wed 27 May 17:00 not sent/ })).toBeVisible();
  await page.getByRole('button', { name: 'Publish version 3' }).click();
  await expect(page.getByText('Version 3 is published')).toBeVisible();
  await page.goto('/ledger?find=ellery');
  await expect(page.getByRole('row', { name: /Wed 27 May.*Two days to go.*not sent: step switched off/ })).toBeVisible();
});

test('with the mail server down a notice waits and Today says so; up again, it goes once', async () => {
  await page.goto('/post-room');
  await page.getByRole('button', { name: 'Take the server down' }).click();
  await expect(page.getByText('The server is down')).toBeVisible();
  await page.goto('/assign');
  await choose(list(page, 'Course'), 'Night Watch Handover');
  await page.goto('/people?find=tarvik');
  await page.getByRole('checkbox', { name: 'Choose Nils Tarvik' }).check();
  await page.getByRole('button', { name: 'Assign to 1 chosen' }).click();
  await choose(list(page, 'Course'), 'Night Watch Handover');
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-06-12');
  await expect(page.getByTestId('preview')).toContainText('Fri 12 Jun 17:00');
  await page.getByRole('button', { name: 'Assign to 1', exact: true }).click();
  await expect(page.getByText('Assigned to 1 person')).toBeVisible();
  await press(page, 'next notice');
  await area(page, 'Today');
  await expect(page.getByRole('row', { name: /Mail stands still.*the mail server does not answer/ })).toBeVisible();
  await page.goto('/post-room');
  await page.getByRole('button', { name: 'Bring it up' }).click();
  await area(page, 'Today');
  const waiting = page.getByRole('row', { name: /Mail stands still.*the mail server does not answer/ });
  await waiting.getByRole('button', { name: 'Try now' }).click();
  await expect(waiting).toBeHidden();
  await page.goto('/post-room');
  await findMail(page, 'nils.tarvik');
  await expect(page.getByRole('row', { name: /Fri 15 May.*nils.tarvik@.*Night Watch Handover: yours to finish/ })).toHaveCount(1);
});

test('an address that refuses is bounced with the server’s words; mended, what waited goes on', async () => {
  await page.goto('/post-room');
  await page.getByLabel('Let an address or a domain misbehave').fill('maud.ellery@orlasund.example');
  await page.getByRole('button', { name: 'Set it' }).click();
  await expect(page.getByText('bounces: no such mailbox').first()).toBeVisible();
  await page.goto('/people?find=ellery');
  await page.getByRole('checkbox', { name: 'Choose Maud Ellery' }).check();
  await page.getByRole('button', { name: 'Assign to 1 chosen' }).click();
  await choose(list(page, 'Course'), 'Safe Lifting');
  await page.getByRole('textbox', { name: 'Due on' }).fill('2026-06-12');
  await expect(page.getByTestId('preview')).toContainText('Fri 12 Jun 17:00');
  await page.getByRole('button', { name: 'Assign to 1', exact: true }).click();
  await expect(page.getByText('Assigned to 1 person')).toBeVisible();
  await press(page, 'next notice');
  await area(page, 'Today');
  await page
    .getByRole('row', { name: /Mail to Maud Ellery came back: “550 5.1.1/ })
    .getByRole('link', { name: 'Correct the address' })
    .click();
  await page.getByLabel('E-mail; notices that wait').fill('maud.e@orlasund.example');
  await page.getByRole('button', { name: 'Save the address' }).click();
  await expect(page.getByRole('complementary', { name: 'Person' })).toContainText('maud.e@orlasund.example');
  await page.goto('/post-room');
  await findMail(page, 'maud.e@');
  await expect(page.getByRole('row', { name: /maud.e@.*Safe Lifting: yours to finish/ })).toHaveCount(1);
});
