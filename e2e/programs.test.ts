import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test } from '@playwright/test';
import { Webhook } from 'standardwebhooks';
import { area, choose, list, signInAs } from './pages.ts';

test('another program brings completions: what it names is matched, what nobody knows is said once; a second one is told of it, signed', async ({
  page,
  request,
}) => {
  test.setTimeout(240_000);
  const heard: { body: string; headers: Record<string, string> }[] = [];
  const server = createServer((req, res) => {
    let body = '';
    req.on('data', (chunk: Buffer) => (body += chunk.toString()));
    req.on('end', () => {
      heard.push({ body, headers: req.headers as Record<string, string> });
      res.end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  await signInAs(page, 'Sigrid Aune');
  await page.goto('/settings');
  await page.getByRole('link', { name: 'Other programs' }).click();

  // a token to bring completions
  await page.getByRole('button', { name: 'A new token' }).click();
  await page.getByLabel('What it is for').fill('Course register');
  await page.getByRole('checkbox', { name: /^completions/ }).check();
  await page.getByRole('button', { name: 'Make it' }).click();
  const token = await page.getByTestId('token').innerText();

  // an address that is told
  await page.getByRole('link', { name: 'What they are told' }).click();
  await page.getByRole('button', { name: 'A new address' }).click();
  await page.getByLabel('What it is for').fill('Personnel system');
  await page.getByLabel('Address', { exact: true }).fill('http://10.1.2.3/told');
  await page.getByRole('button', { name: 'Make it' }).click();
  await expect(page.getByRole('alert')).toContainText('stands inside the network of this house');
  await page.getByLabel('Address', { exact: true }).fill(`http://127.0.0.1:${(server.address() as AddressInfo).port}/told`);
  await page.getByRole('button', { name: 'Make it' }).click();
  const secret = await page.getByTestId('token').innerText();

  const statement = (who: string) => ({
    actor: { mbox: `mailto:${who}` },
    verb: { id: 'http://adlnet.gov/expapi/verbs/completed' },
    object: { id: 'https://register.example/units/77', definition: { name: { en: 'Lifting, theory' } } },
    timestamp: '2026-05-05T10:00:00Z',
  });
  const bring = (who: string) =>
    request.post('/api/xapi/statements', { headers: { authorization: `Bearer ${token}`, 'x-experience-api-version': '1.0.3' }, data: statement(who) }); // prettier-ignore
  expect((await bring('henrik.orla@orlasund.example')).status()).toBe(200);
  expect((await bring('somebody@elsewhere.example')).status()).toBe(200);

  // Today tells of them, and which course it is, is said once
  await area(page, 'Today');
  await page.getByRole('link', { name: 'Match them' }).click();
  await expect(page.getByRole('row', { name: /somebody@elsewhere.example.*nobody of the roster/ })).toBeVisible();
  await choose(list(page, 'Course of https://register.example/units/77'), 'Safe Lifting');
  await expect(page.getByRole('status')).toContainText('1 completion was recorded.');
  await page.getByRole('button', { name: 'All' }).click();
  await expect(page.getByRole('row', { name: /henrik.orla.*recorded as finished/ })).toBeVisible();
  await page.getByRole('link', { name: /henrik.orla/ }).click();
  const sheet = page.getByRole('complementary', { name: 'Person' });
  await expect(sheet).toContainText(/Safe Lifting/);
  await expect(sheet).toContainText(/finished 5 May 2026/);

  // whoever listens was told, once, and can tell that it is us
  await expect.poll(() => heard.length, { timeout: 30_000 }).toBeGreaterThan(0);
  const [told] = heard.map(({ body, headers }) => new Webhook(secret).verify(body, headers) as { type: string; person: { name: string } });
  expect(told).toMatchObject({ type: 'finished', person: { name: 'Henrik Orla' } });
  await page.goto('/settings/programs/told');
  await page.getByRole('button', { name: 'Each call' }).click();
  await expect(page.getByRole('row', { name: /Henrik Orla, Safe Lifting.*told.*answered 200/ }).first()).toBeVisible();
  await new Promise((resolve) => server.close(resolve));
});
