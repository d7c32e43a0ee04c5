import { expect, test, type Page } from '@playwright/test';
import { press, signInAs } from './pages.ts';

const rung = (id: string, name: string, to: string, amount: number) => ({ id, name, kind: 'manager', on: true, anchor: { event: 'due' }, offset: { amount, unit: 'working days' }, at: '09:00', window: null, repeat: null, to: [to], gather: 'none', endsOn: null, onlyIf: null, stopWhen: null, message: { subject: `${name}: {full name}`, body: '{full name} is late with {course}.', button: null } }); // prettier-ignore

/** A live course whose plan is a ladder of three rungs, asked of Runa Aske, whose manager is on leave until 18 May. */
async function makeLadder(page: Page): Promise<{ runa: string }> {
  const { csrf } = (await (await page.request.get('/api/session')).json()) as { csrf: string };
  const send = async <T>(method: 'post' | 'put', path: string, data: object): Promise<T> => {
    const answer = await page.request[method](path, { data, headers: { 'x-csrf-token': csrf } });
    expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
    return (await answer.json()) as T;
  };
  const find = async (name: string): Promise<string> =>
    ((await (await page.request.get(`/api/people?find=${encodeURIComponent(name)}`)).json()) as { rows: { id: string }[] }).rows[0]!.id;
  const { id: course } = await send<{ id: string }>('post', '/api/courses', { title: 'Night Rounds' });
  const unit = { id: 'new-1', kind: 'page', title: 'The rounds', required: true, weight: 1, release: null, body: '<p>Look twice.</p>', url: null, fileId: null, quiz: null, video: null, survey: null }; // prettier-ignore
  const draft = (await (await page.request.get(`/api/courses/${course}/draft`)).json()) as { version: number };
  const owner = await find('Tora Hauge');
  const kept = await send<{ version: number }>('put', `/api/courses/${course}/draft`, { version: draft.version, save: 'rounds-0001', content: { title: 'Night Rounds', certificate: 'none', ownerId: owner, summary: 'By night.', sections: [{ id: null, title: 'One', units: [unit] }] } }); // prettier-ignore
  const plan = (await (await page.request.get(`/api/plans/${course}`)).json()) as { version: number };
  await send('post', `/api/plans/${course}/publish`, { version: plan.version, steps: [rung('first', 'First rung', 'manager', 1), rung('second', 'Second rung', 'manager 2', 2), rung('third', 'Third rung', 'trainer', 6)], note: 'A ladder' }); // prettier-ignore
  await send('post', `/api/courses/${course}/live`, { version: kept.version });
  const runa = await find('Runa Aske');
  await send('post', '/api/assignments', { courseId: course, personIds: [runa], dueOn: '2026-05-07' });
  await page.goto(`/plans/${course}`);
  const ladder = page.getByRole('region', { name: 'The ladder' });
  await expect(ladder.getByRole('listitem')).toHaveText([
    /^manager 1 working day late/,
    /^manager 2 2 working days late/,
    /^trainer 6 working days late/,
  ]);
  return { runa };
}

test('an escalation climbs over whoever is away, is taken up and waits, and ends with the finish', async ({ page, browser }) => {
  test.setTimeout(180_000);
  await signInAs(page, 'Sigrid Aune');
  const { runa } = await makeLadder(page);
  const line = async (): Promise<string> => {
    await page.goto(`/people/${runa}`);
    const course = page.locator('.course').filter({ hasText: 'Night Rounds' });
    await course.getByText('Who of the line was told').click();
    await expect(course.locator('nk-ladder li').first()).toBeVisible();
    return (await course.locator('nk-ladder').innerText()).replace(/\s+/g, ' ');
  };
  await expect(async () => {
    await press(page, '+1 day');
    expect(await line()).toMatch(/First rung to Odd Brandal \(manager\), Fri 8 May 09:00 (sent|delivered)/);
  }).toPass({ timeout: 90_000 });
  expect(await line()).toContain('Torill Lunde is on leave, Odd Brandal covers');
  expect(await line()).toMatch(/Second rung to .* \(manager 2\), Mon 11 May 09:00/);

  // Ivar Moen sees where it stands, and takes it up
  const manager = await (await browser.newContext({ baseURL: test.info().project.use.baseURL! })).newPage();
  await signInAs(manager, 'Ivar Moen');
  await manager.getByRole('button', { name: 'Act on Night Rounds of Runa Aske' }).click();
  await expect(manager.getByText('First rung')).toBeVisible();
  await manager.getByRole('textbox', { name: 'Taken up: done by' }).fill('2026-05-15');
  await manager.getByRole('textbox', { name: 'Taken up: done by' }).press('Tab');
  await manager.getByRole('button', { name: 'Take it up' }).click();
  await expect(manager.getByRole('status').first()).toContainText('Taken up Night Rounds of Runa Aske: done by Fri 15 May.');
  await expect(manager.getByText('taken up by Ivar Moen, done by Fri 15 May')).toBeVisible();

  await expect(async () => {
    await press(page, '+1 day');
    expect(await line()).toMatch(/Second rung to .* \(manager 2\), Mon 18 May [0-9:]+ held/);
  }).toPass({ timeout: 90_000 });
  expect(await line()).toContain('Taken up by Ivar Moen');

  // finished: nobody further up is told
  const employee = await (await browser.newContext({ baseURL: test.info().project.use.baseURL! })).newPage();
  await signInAs(employee, 'Runa Aske');
  await employee.getByRole('link', { name: /Night Rounds/ }).first().click(); // prettier-ignore
  await employee.getByRole('button', { name: /The rounds/ }).click();
  await employee.getByRole('button', { name: 'Mark it done' }).click();
  await expect(employee.getByText('You finished. Well done.')).toBeVisible();
  await page.goto(`/ledger?find=runa%20aske&when=all&outcome=cancelled`);
  await expect(page.getByRole('row').filter({ hasText: 'Second rung' }).first()).toBeVisible();
  await expect(page.getByRole('row').filter({ hasText: 'Third rung' }).first()).toBeVisible();
});

test('a manager asks for a waiver, and the office answers from Today', async ({ page, browser }) => {
  const manager = await (await browser.newContext({ baseURL: test.info().project.use.baseURL! })).newPage();
  await signInAs(manager, 'Ivar Moen');
  const act = manager.getByRole('button', { name: /^Act on Safe Lifting of / }).first();
  const name = /of (.*)$/.exec((await act.getAttribute('aria-label'))!)![1]!;
  await act.click();
  await manager.getByLabel('Reason').fill('On loan to the yard until June');
  await manager.getByRole('button', { name: 'Ask for a waiver' }).click();
  await expect(manager.getByRole('status').first()).toContainText(`Asked to waive Safe Lifting of ${name}.`);
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/today');
  const need = page.getByText(`Ivar Moen asks to waive Safe Lifting of ${name}`);
  await expect(need).toBeVisible();
  await page.goto('/requirements/waivers');
  await page.getByRole('button', { name: `Answer about ${name}` }).click();
  await page.getByLabel(/^What Ivar Moen reads/).fill('They lift there too');
  await page.getByRole('button', { name: 'Do not waive' }).click();
  await expect(page.getByText('not waived', { exact: true })).toBeVisible();
  await manager.reload();
  await expect(manager.getByText('not waived: They lift there too')).toBeVisible();
});
