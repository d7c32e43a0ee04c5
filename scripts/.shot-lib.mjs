import { chromium } from '@playwright/test';
const base = process.env.BASE || 'http://127.0.0.1:4311';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
export const ctx = await browser.newContext({ viewport: { width: 1280, height: 800 } });
export const page = await ctx.newPage();
page.on('console', (m) => {
  if (['error', 'warning'].includes(m.type())) console.log('console:', m.text().slice(0, 300));
});
page.on('pageerror', (e) => console.log('pageerror:', e.message.slice(0, 400)));
export async function signIn(who = 'Sigrid Aune') {
  await page.goto(base + '/sign-in');
  await page.getByRole('button', { name: `Sign in as ${who}` }).click();
  await page.waitForURL((u) => !u.pathname.startsWith('/sign-in'));
}
export async function go(p) {
  await page.goto(base + p);
  await page.waitForLoadState('networkidle').catch(() => {});
}
export async function shot(n, full = false) {
  await page.waitForTimeout(250);
  await page.screenshot({ path: `/tmp/shots/${n}.png`, fullPage: full });
}
export const done = () => browser.close();
