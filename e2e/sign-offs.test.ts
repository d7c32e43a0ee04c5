import { expect, test, type Page } from '@playwright/test';
import { press, signInAs } from './pages.ts';

const sheet = {
  guide: 'Throw it from the bow, over the rail.',
  criteria: [
    { id: 'throws', words: 'Throws the line so that it is caught', isNeeded: true },
    { id: 'calls', words: 'Calls out before', isNeeded: true },
    { id: 'coils', words: 'Coils it afterwards', isNeeded: false },
  ],
  signers: { managers: true, trainers: true, people: [] as string[], sites: [] },
  asksPlace: true,
  withQuizzes: true,
  withSurveys: false,
};
const message = (subject: string) => ({ subject, body: 'Hello {given name}, this is about {unit}.', button: null });
const step = (id: string, name: string, outcome: string, to: string[]) => ({ id, name, kind: 'follow-up', on: true, anchor: { event: 'signed-off', outcome }, offset: { amount: 0, unit: 'minutes' }, at: null, window: 'exact', repeat: null, to, gather: 'none', endsOn: null, onlyIf: null, stopWhen: null, message: message(`{course}: ${name}`) }); // prettier-ignore

/** A live course with a sign-off, a step for each outcome, asked of twenty people. @returns where its entries stand */
async function makeCourse(page: Page): Promise<{ course: string; unit: string; names: string[] }> {
  const { csrf } = (await (await page.request.get('/api/session')).json()) as { csrf: string };
  const send = async <T>(method: 'post' | 'put', path: string, data: object): Promise<T> => {
    const answer = await page.request[method](path, { data, headers: { 'x-csrf-token': csrf } });
    expect(answer.ok(), `${path}: ${await answer.text()}`).toBe(true);
    return (await answer.json()) as T;
  };
  const people = (await (await page.request.get('/api/people?department=Deck&size=60')).json()) as {
    rows: { id: string; name: string; joinedOn: string | null }[];
  };
  const supervisor = (await (await page.request.get('/api/people?find=Ivar%20Moen')).json()) as { rows: { id: string }[] };
  sheet.signers.people = [supervisor.rows[0]!.id];
  const { id: course } = await send<{ id: string }>('post', '/api/courses', { title: 'Throwing Lines' });
  const unit = { id: 'new-1', kind: 'sign-off', title: 'The heaving line', required: true, weight: 1, release: null, body: null, url: null, fileId: null, quiz: null, video: null, survey: null, signOff: sheet }; // prettier-ignore
  const draft = (await (await page.request.get(`/api/courses/${course}/draft`)).json()) as { version: number };
  const kept = await send<{ version: number; ids: Record<string, string> }>('put', `/api/courses/${course}/draft`, { version: draft.version, save: 'lines-0001', content: { title: 'Throwing Lines', certificate: 'issued', ownerId: '1', summary: 'By hand.', sections: [{ id: null, title: 'One', units: [unit] }] } }); // prettier-ignore
  const plan = (await (await page.request.get(`/api/plans/${course}`)).json()) as { version: number; written: number };
  const steps = [step('met', 'Well thrown', 'met', ['employee']), step('not-met', 'Once more', 'not-met', ['employee']), step('absent', 'You were missed', 'absent', ['employee'])]; // prettier-ignore
  await send('post', `/api/plans/${course}/publish`, { version: plan.version, steps, note: 'For sign-offs' });
  await send('post', `/api/courses/${course}/live`, { version: kept.version });
  const chosen = people.rows
    .filter(({ id, joinedOn }) => id !== supervisor.rows[0]!.id && (joinedOn === null || joinedOn < '2026-05-06'))
    .slice(0, 20);
  await send('post', '/api/assignments', { courseId: course, personIds: chosen.map(({ id }) => id), dueOn: '2027-12-01' });
  return { course, unit: kept.ids['new-1']!, names: chosen.map(({ name }) => name) };
}

test('a supervisor on a phone signs off twenty people with three outcomes, and each gets what is theirs', async ({ page, browser }) => {
  await signInAs(page, 'Sigrid Aune');
  const { course, unit, names } = await makeCourse(page);
  await page.goto(`/courses/${course}/sign-offs/${unit}`);
  await page.getByRole('combobox', { name: 'Supervisor' }).fill('Ivar Moen');
  await page.getByRole('option', { name: /Ivar Moen/ }).first().click(); // prettier-ignore
  await page.getByRole('button', { name: 'Make a link' }).click();
  const link = await page.getByRole('textbox', { name: 'Link of Ivar Moen' }).inputValue();

  const phone = await (
    await browser.newContext({ viewport: { width: 390, height: 844 }, baseURL: test.info().project.use.baseURL! })
  ).newPage();
  await phone.goto(link);
  await expect(phone.getByRole('heading', { name: 'The heaving line' })).toBeVisible();
  const of = (name: string) => phone.getByRole('group', { name: `How it came out for ${name}` });
  await phone.getByRole('button', { name: 'Everybody below met everything' }).click();
  for (const name of names.slice(0, 3)) await of(name).getByRole('button', { name: 'not met' }).click();
  for (const name of names.slice(3, 5)) await of(name).getByRole('button', { name: 'absent' }).click();
  await phone.getByLabel(`Remarks on ${names[0]}`).fill('Too short by a metre');

  // the connection is lost: what was entered is there again
  await phone.context().setOffline(true);
  await phone.getByRole('button', { name: 'See what goes to whom (20)' }).click();
  await expect(phone.getByRole('alert')).toBeVisible();
  await phone.context().setOffline(false);
  await phone.reload();
  await expect(phone.getByText('What you entered is kept on this device until it has gone through.')).toBeVisible();
  await expect(phone.getByLabel(`Remarks on ${names[0]}`)).toHaveValue('Too short by a metre');
  await phone.getByRole('button', { name: 'See what goes to whom (20)' }).click();
  const foreseen = phone.getByRole('region', { name: 'What goes to whom' });
  await expect(foreseen.getByText('“Once more” to')).toHaveCount(3);
  await expect(foreseen.getByText('“You were missed” to')).toHaveCount(2);
  await expect(foreseen.getByText('“Well thrown” to')).toHaveCount(15);
  await phone.getByRole('button', { name: 'Record 20 entries' }).click();
  await expect(phone.getByRole('status')).toContainText('20 entries recorded');

  // each row shows whether its message went, and what came of it
  await expect(async () => {
    await page.goto(`/courses/${course}/sign-offs/${unit}`);
    await press(page, 'next notice');
    await expect(page.getByText(/“Once more” to/)).toHaveCount(3);
    await expect(page.getByRole('row', { name: /“(Once more|Well thrown|You were missed)” to .*(sent|delivered)/ })).toHaveCount(20, {
      timeout: 2_000,
    });
  }).toPass({ timeout: 60_000 });

  // a slip is corrected: the former entry stays, the certificate falls
  const name = names[10]!;
  const row = page.getByRole('row', { name: new RegExp(`^${name} met`) });
  await row.getByRole('button', { name: `Correct the entry of ${name}` }).click();
  await page.getByLabel('Calls out before').uncheck();
  await page.getByLabel('Why is it corrected?').fill('Nobody heard it');
  await page.getByRole('button', { name: 'Correct it' }).click();
  await expect(page.getByText('The certificate is revoked.')).toBeVisible();
  await expect(page.getByRole('row', { name: new RegExp(`^${name} met corrected`) })).toBeVisible();
  const document = await page.request.get(
    (await page
      .getByRole('link', { name: `Record document of ${name}` })
      .first()
      .getAttribute('href'))!,
  );
  expect(document.headers()['content-type']).toBe('application/pdf');
});
