import { expect, test, type Page } from '@playwright/test';
import { FEED_CAST } from '../demo/src/feed-story.ts';
import { area, choose, clock, list, press, signInAs } from './pages.ts';

/** Two weeks in which a requirement is kept true by itself: people join, move and leave through the personnel feed. */
test.describe.configure({ mode: 'serial' });

let page: Page;
test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  await signInAs(page, 'Sigrid Aune');
});
test.afterAll(() => page.close());

/** Goes on day by day until the clock shows a day. */
async function until(day: string): Promise<void> {
  while (!(await clock(page).innerText()).startsWith(day)) await press(page, '+1 day');
}
const open = async (name: string): Promise<void> => {
  await area(page, 'Requirements');
  await page.getByRole('row', { name }).click();
  await expect(page.getByTestId('standings')).toBeVisible();
};
const standing = (name: string) => page.getByTestId('standings').getByRole('row', { name: new RegExp(name) });
const NAME = 'Lines for everyone on deck';

test('an audience is built from rows that read as a sentence, and shows at once who is in and who is just outside', async () => {
  await area(page, 'Requirements');
  await expect(page.getByRole('row', { name: /off Lines and gangway, deck/ })).toContainText('never switched on');
  await page.getByRole('link', { name: 'New requirement' }).click();
  await expect(page.getByTestId('audience-words')).toHaveText('everyone');
  await choose(list(page, 'Add to condition 1'), 'Deck');
  await expect(page.getByTestId('audience-words')).toHaveText('Deck');
  await expect(page.getByTestId('audience-count')).toHaveText('71 people, 13 of them still to join');
  await page.getByRole('button', { name: 'Add a condition' }).click();
  const second = page.getByRole('group', { name: 'Condition 2' });
  await choose(list(second, 'What is asked'), 'in group');
  await choose(list(second, 'Whether it holds'), 'is not');
  await choose(list(second, 'Add to condition 2'), 'Fire team A');
  await expect(page.getByTestId('audience-words')).toHaveText('Deck, not in the group Fire team A');
  await expect(page.getByTestId('audience-count')).toHaveText(/^58 people/);
  await page.getByRole('button', { name: /Just outside/ }).click();
  await expect(page.getByTestId('outside').getByRole('row').first()).toContainText(/not in the group Fire team A|Deck/);

  await page.getByRole('button', { name: 'Add a group of conditions' }).click();
  const third = page.getByRole('group', { name: 'Condition 3' });
  await choose(list(third, 'What is asked').first(), 'in the line of');
  await third.getByLabel('Find a manager').fill('ivar');
  await page.getByRole('option', { name: /Ivar Moen/ }).click();
  await expect(page.getByTestId('audience-words')).toHaveText('Deck, not in the group Fire team A, in the line of Ivar Moen');
  await page.getByRole('button', { name: 'Remove condition 3' }).click();
  await page.getByRole('button', { name: 'Remove condition 2' }).click();
  await expect(page.getByTestId('audience-count')).toHaveText(/^71 people/);
});

test('before it is switched on it shows who gets what, and a wrong rule is refused in a sentence', async () => {
  await page.getByLabel('Name, so that you know it in a year').fill(NAME);
  await choose(list(page, 'Course'), 'Gangway and Line Handling');
  await choose(list(page, 'Due rule'), 'on a date');
  await page.getByRole('button', { name: 'See what it would do' }).click();
  await expect(page.getByRole('alert')).toHaveText('Give the date on which it is due.');
  await choose(list(page, 'Due rule'), 'working days after');
  await page.getByLabel('How many days').fill('10');
  await choose(list(page, 'Counted from'), 'joining');
  await page.getByRole('button', { name: 'See what it would do' }).click();
  await expect(page.getByRole('heading', { name: 'If you switch this on now' })).toBeVisible();
  await expect(page.getByTestId('review-counts')).toHaveText(/\d+ assigned now\s*\d+ have it open already\s*\d+ covered\s*13 join in the next 60 days\s*\d+ mails/);
  await expect(page.getByText(/Certificates of Gangway and Line Handling run out after 24 months, and this requirement does not renew/)).toBeVisible();
  await expect(page.getByRole('row', { name: /joins Mon 11 May, due Wed 27 May 17:00/ }).first()).toBeVisible();
  await expect(page.getByText('Mails by day')).toBeVisible();
}); // prettier-ignore

test('switched on, it assigns just those', async () => {
  const [, assigned] = (await page.getByTestId('review-counts').innerText()).match(/(\d+) assigned now/)!;
  await page.getByRole('button', { name: 'Switch it on' }).click();
  await expect(page.getByRole('heading', { name: NAME })).toBeVisible();
  await expect(page.getByText('On since 6 May 2026')).toBeVisible();
  await expect(page.getByText(new RegExp(`Switched on: ${assigned} assigned`))).toBeVisible();
  await expect(page.getByText('Due 10 working days after joining, 17:00; where that has passed, 14 days after assignment.')).toBeVisible();
  await page.getByRole('button', { name: /still to join/ }).click();
  await expect(page.getByTestId('standings').getByRole('row')).toHaveCount(14);
  await page.goto(page.url().split('?')[0]!);
  await standing(FEED_CAST.mover).getByRole('link').click();
  await page.getByRole('button', { name: 'Why Gangway and Line Handling?' }).first().click();
  await expect(page.getByTestId('why')).toContainText(`“${NAME}” asks it of Deck, and ${FEED_CAST.mover} is in Deck`);
});

test('a wrong row of the feed is told on Today; the roster is not touched by it', async () => {
  await until('Fri 8 May');
  await area(page, 'Today');
  await expect(page.getByRole('row', { name: /Row refused Personnel feed, Fri 8 May 06:00: There is no site "Orla Key"/ })).toBeVisible();
  await page.getByRole('link', { name: 'Open the feed' }).click();
  await expect(page.getByRole('row', { name: /Thu 7 May 06:00 taken 1 added/ })).toBeVisible();
  await open(NAME);
  await expect(standing(FEED_CAST.joiner)).toContainText('joins on Thu 14 May');
});

test('a mover falls out of the audience: it asks, and does what it is told', async () => {
  await until('Tue 12 May');
  await area(page, 'Today');
  await page
    .getByRole('row', { name: new RegExp(`Out of audience ${FEED_CAST.mover} is no longer in the audience of “${NAME}”`) })
    .getByRole('link', { name: 'Decide' })
    .click();
  await expect(standing(FEED_CAST.mover)).toContainText('not in the audience, and has it open');
  await page.getByRole('button', { name: `Withdraw ${FEED_CAST.mover}` }).click();
  await expect(page.getByText('Withdrawn: 1 assignment withdrawn.')).toBeVisible();
  await area(page, 'Today');
  await expect(page.getByText(`${FEED_CAST.mover} is no longer in the audience`)).toBeHidden();
});

test('a feed that is down, or would change too much, changes nothing until a person says so', async () => {
  await page.goto('/people/feed');
  await choose(list(page, "How the demo's personnel system behaves"), 'is down');
  await page.getByRole('button', { name: 'Pull now' }).click();
  await expect(page.getByRole('alert')).toContainText(/answered 503 Service Unavailable. Nothing was changed/);
  await choose(list(page, "How the demo's personnel system behaves"), 'is cut off in the middle of a page');
  await page.getByRole('button', { name: 'Pull now' }).click();
  await expect(page.getByRole('alert')).toContainText('was cut off before its end');
  await choose(list(page, "How the demo's personnel system behaves"), 'hands out only half of the people');
  await page.getByRole('button', { name: 'Pull now' }).click();
  await expect(page.getByRole('region', { name: 'Held pull' })).toContainText(/\d+ left, which is \d+ % of the roster; more than 5 % waits for a person/);
  await expect(page.getByTestId('held').getByRole('row')).not.toHaveCount(0);
  await page.getByRole('button', { name: 'Decline it' }).click();
  await expect(page.getByText('Declined; nothing of it was taken.')).toBeVisible();
  await choose(list(page, "How the demo's personnel system behaves"), 'works');
  await expect(list(page, "How the demo's personnel system behaves")).toHaveText('works');
}); // prettier-ignore

test('who joins through the feed is assigned on the first morning; who leaves is withdrawn at once', async () => {
  await until('Thu 14 May');
  await open(NAME);
  await expect(standing(FEED_CAST.joiner)).toContainText('due Fri 29 May 17:00');
  await page.goto(`/people?show=left&find=${encodeURIComponent(FEED_CAST.leaver)}`);
  await page.getByRole('row', { name: FEED_CAST.leaver }).click();
  const sheet = page.getByRole('complementary', { name: 'Person' });
  await expect(sheet).toContainText('left 14 May 2026');
  await expect(sheet.locator('.course').filter({ hasText: 'withdrawn' })).not.toHaveCount(0);
  await expect(sheet.getByText(/^planned/)).toHaveCount(0);
  await sheet.getByRole('button', { name: 'Time line' }).click();
  await expect(sheet.getByTestId('timeline')).toContainText(`withdrawn: ${FEED_CAST.leaver} left on 14 May 2026`);
});

test('the next round of a yearly course is assigned before the last one runs out', async () => {
  await until('Wed 20 May');
  await open('Muster, everyone, every year');
  await page.getByRole('button', { name: /^\d+ open$/ }).click();
  const row = page
    .getByTestId('standings')
    .getByRole('row', { name: /due .* Jun/ })
    .first();
  await row.getByRole('link').click();
  const sheet = page.getByRole('complementary', { name: 'Person' });
  await expect(sheet.getByText('Muster and Abandon Ship, round 2')).toBeVisible();
  await sheet.getByRole('button', { name: 'Why Muster and Abandon Ship?' }).first().click();
  await expect(sheet.getByTestId('why')).toContainText(/finished on \d+ Jun 2025, which counts until \d+ Jun 2026; the next round is due/);
  await open(NAME);
  await expect(standing(FEED_CAST.laterJoiner)).toContainText('open');
  await page.goto(`/people?find=${encodeURIComponent(FEED_CAST.returner)}`);
  await page.getByRole('row', { name: FEED_CAST.returner }).click();
  await page.getByRole('button', { name: 'Time line' }).click();
  await expect(page.getByTestId('timeline')).toContainText('Is back: ');
});

test('switched off, what is open is kept as it is told', async () => {
  await open(NAME);
  await page.getByRole('button', { name: 'Switch it off' }).first().click();
  const form = page.getByRole('form', { name: 'Switch it off' });
  await expect(form).toContainText(/\d+ people have Gangway and Line Handling open because of it/);
  await form.getByLabel(/keep what is open/).check();
  await form.getByRole('button', { name: 'Switch it off' }).click();
  await expect(page.getByText(/Switched off: \d+ assignments kept/).first()).toBeVisible();
  await expect(page.getByText('Off: it assigns nobody.')).toBeVisible();
});

test('done by hand: many are extended in one, and taken back; earlier completions are recorded with proof', async () => {
  await page.goto('/matrix/3?state=open');
  await page.getByLabel('Choose all on this page').check();
  await expect(page.getByText(/\d+ open chosen/)).toBeVisible();
  await page.getByRole('textbox', { name: 'New due date, 17:00' }).fill('2026-09-30');
  await page.getByLabel('Reason').fill('dry dock in August');
  await page.getByRole('button', { name: 'Extend', exact: true }).click();
  await expect(page.getByRole('status')).toContainText(/Extended Gangway and Line Handling of \d+ people to Wed 30 Sep/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('status')).toContainText('Taken back');

  await page.goto('/requirements/completions');
  await page
    .getByRole('textbox', { name: 'Completions' })
    .fill('person,course,finished on\nivar.moen@orlasund.example,SAF-02,2026-01-12\nghost@orlasund.example,SAF-02,2026-02-30');
  await expect(page.getByTestId('completions')).toContainText('Ivar Moen');
  await expect(page.getByRole('row', { name: /person "ghost@orlasund.example" is neither/ })).toBeVisible();
  await page.getByLabel('Proof file').setInputFiles({ name: 'register.pdf', mimeType: 'application/pdf', buffer: Buffer.from('%PDF-1.4 made up') });
  await expect(page.getByText('register.pdf')).toBeVisible();
  await page.getByLabel('Where they come from, for the record').fill('course register 2025');
  await page.getByRole('button', { name: 'Record 1' }).click();
  await expect(page.getByRole('status')).toContainText('Recorded Fire Teams Aboard for Ivar Moen, 1 row left out.');
  await page.getByRole('link', { name: 'Done by hand' }).click();
  await expect(page.getByRole('row', { name: /Sigrid Aune Recorded Fire Teams Aboard for Ivar Moen.*course register 2025/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /Extended Gangway.*taken back/ })).toBeVisible();
}); // prettier-ignore

test('a calendar is copied to the next year and read from an iCalendar file', async () => {
  await page.goto('/people/structure');
  await page.getByRole('button', { name: 'Calendar of Tarn Ness' }).click();
  const sheet = page.getByRole('complementary', { name: 'Calendar of Tarn Ness' });
  await sheet.getByRole('button', { name: '2027', exact: true }).click();
  await sheet.getByRole('button', { name: 'Copy to 2028' }).click();
  await expect(sheet.getByText('moves from year to year: set its date').first()).toBeVisible();
  const ics = ['BEGIN:VCALENDAR', 'VERSION:2.0', 'PRODID:-//Tarn//EN', 'BEGIN:VEVENT', 'UID:1', 'SUMMARY:Ness Day', 'DTSTART;VALUE=DATE:20280615', 'END:VEVENT', 'END:VCALENDAR', ''].join('\r\n');
  await sheet.getByLabel('iCalendar file').setInputFiles({ name: 'ness.ics', mimeType: 'text/calendar', buffer: Buffer.from(ics) });
  await expect(sheet.getByText('ness.ics: 1 whole day in 2028, 1 of them new.')).toBeVisible();
  await sheet.getByRole('button', { name: 'Save 2028' }).click();
  await expect(sheet.getByText(/Saved\. Notices of \d+ people at Tarn Ness are planned anew/)).toBeVisible();
  await page.reload();
  await sheet.getByRole('button', { name: '2028', exact: true }).click();
  await expect(sheet.locator('input[value]').or(sheet.getByLabel('Date of Ness Day'))).not.toHaveCount(0);
}); // prettier-ignore

test('a report goes by itself on its day: it arrives with its file, and is on the record', async ({ browser }) => {
  await page.goto('/matrix?state=late');
  await page.getByRole('link', { name: 'Send it by itself' }).click();
  await page.getByLabel('Name, as it stands in the subject').fill('Who is late, daily');
  await expect(page.getByRole('form', { name: 'A report that is sent' })).toContainText('Matrix (late)');
  await choose(list(page, 'How often'), 'each day');
  await choose(list(page, 'As'), 'CSV');
  await page.getByRole('checkbox', { name: /Elias Brekke/ }).check();
  await page.getByRole('button', { name: 'Send it from now on' }).click();
  await expect(page.getByText('“Who is late, daily” is sent from now on.')).toBeVisible();
  const row = page.getByRole('row', { name: /Who is late, daily/ });
  await expect(row).toContainText('Elias Brekke, Sigrid Aune');
  await press(page, '+1 day');
  await expect(row.first()).toContainText(/: sent/);
  await expect(page.getByRole('row', { name: /Who is late, daily.*elias\.brekke.*sent/ })).toHaveCount(1);
  // in the post room, with its file
  await page.getByRole('link', { name: 'Post', exact: true }).click();
  const mails = page.getByRole('row', { name: /elias\.brekke.*Who is late, daily/ });
  await mails.click();
  const mail = page.getByRole('complementary', { name: 'Mail' });
  await mail.getByRole('button', { name: 'plain text' }).click();
  await expect(mail.locator('pre')).toContainText(/\d+ rows fit\.[\s\S]*It is attached as Matrix, 2026-05-\d\d\.csv/);
  const eml = await page.request.get(`/api/post-room/mails/${new URL(page.url()).pathname.split('/').at(-1)}/eml`);
  expect(await eml.text()).toMatch(/filename="?Matrix, 2026-05-\d\d\.csv/);
  // an auditor sees who gets what, and changes nothing of it
  const auditor = await (await browser.newContext()).newPage();
  await signInAs(auditor, 'Elias Brekke');
  await auditor.goto('/ledger/reports');
  await expect(auditor.getByRole('row', { name: /Who is late, daily/ }).first()).toBeVisible();
  await expect(auditor.getByRole('button', { name: /Change|Remove|A new one/ })).toHaveCount(0);
  await auditor.context().close();
  // switched off it goes no more
  await page.goto('/ledger/reports');
  await page.getByRole('switch', { name: 'Who is late, daily switched on' }).click();
  await expect(page.getByText('“Who is late, daily” is sent no more.')).toBeVisible();
});
