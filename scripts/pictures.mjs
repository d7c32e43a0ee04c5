// npm run pictures: one picture of each main view, from the demo data, into docs/screenshots
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, installBrowser, installPackages, ROOT } from './setup.mjs';
import { run } from './say.mjs';

const roster = `name,email,department,site,job,manager email,joined on
Nils Tarvik,nils.tarvik@orlasund.example,Deck,Vessel pool,Deckhand,ivar.moen@orlasund.example,2026-05-11
Maud Ellery,maud.ellery@orlasund.example,Terminal,Tarn Ness,Linesman,duncan.farquhar@orlasund.example,2026-05-11
Runa Aske,runa.aske@orlasund.example,Deck,Vessel pool,Boatswain,torill.lunde@orlasund.example,
Signe Vold,signe.vold@orlasund.example,Deck,Orla Quay,Deckhand,torill.lunde@orlasund.example,
Wrong Row,wrong,Deck,Vessel pool,,,
Odd Sites,odd.sites@orlasund.example,Deck,Tarn Nes,,ivar.moen@orlasund.example,12.5.2026
`;

async function choose(where, entry) {
  await where.click();
  await where.page().getByRole('option', { name: entry, exact: true }).click();
  await where.page().getByRole('option').first().waitFor({ state: 'hidden' });
}

run(async () => {
  checkNode();
  installPackages();
  installBrowser();
  const { openCluster, freePort } = await import('./database.mjs');
  const { buildAll } = await import('./build.mjs');
  const { House } = await import('./house.mjs');
  const { chromium } = await import('@playwright/test');
  await buildAll();
  process.env.NUDRIK_DEMO_CLOCK = 'still';
  const cluster = openCluster(join(ROOT, 'data', 'test'));
  await cluster.start();
  const house = new House();
  try {
    const base = await house.open({ databaseUrl: cluster.ensureDatabase('pictures', true), port: await freePort() });
    const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
    const folder = join(ROOT, 'docs/screenshots');
    mkdirSync(folder, { recursive: true });
    const signIn = async (who) => {
      const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
      await page.goto(`${base}/sign-in`);
      await page.getByRole('button', { name: `Sign in as ${who}` }).click();
      await page.waitForURL((url) => !url.pathname.startsWith('/sign-in'));
      return page;
    };
    const page = await signIn('Sigrid Aune');
    const settled = () => page.getByText('moving …').waitFor({ state: 'hidden' });
    const shoot = async (name, path, ...steps) => {
      await page.goto(base + path);
      await page.waitForFunction(() => !document.querySelector('.loading'));
      for (const step of steps) await step(page);
      await page.waitForLoadState('networkidle').catch(() => undefined);
      await page.screenshot({ path: join(folder, `${name}.png`) });
    };
    // two days later: things were sent, some came back
    for (const day of ['Thu 7 May', 'Fri 8 May']) {
      await page.getByRole('button', { name: '+1 day' }).click();
      await page
        .getByTestId('clock')
        .getByText(`${day} 2026 08:50`)
        .or(page.getByText(`${day} 2026 08:50`))
        .first()
        .waitFor();
      await settled();
    }
    page.setDefaultNavigationTimeout(20_000);
    const first = (words) => (p) => p.getByRole('row', { name: words }).first().click();
    const seen = (words) => (p) => p.getByText(words).first().waitFor();
    await shoot('today', '/today', seen('Goes out next'));
    await shoot('ledger', '/ledger?from=2026-05-06', first(/Two days to go, Fire Teams Aboard/), seen('Why it went'));
    await shoot('people', '/people?department=Deck&sort=late&order=desc', first(/Signe Vold|Callum|Deckhand/), seen('Correct'));
    await shoot('plan', '/plans/2', seen('For these people it would be'), (p) =>
      p.getByTestId('moments').getByRole('row').nth(2).waitFor(),
    );
    await shoot(
      'assign',
      '/assign?department=Terminal&course=2',
      (p) => p.getByTestId('preview').waitFor(),
      first(/Duncan Farquhar|Terminal|London time/),
    );
    await shoot(
      'import',
      '/people/import',
      (p) => p.getByLabel('Roster file').setInputFiles({ name: 'crew.csv', mimeType: 'text/csv', buffer: Buffer.from(roster) }),
      (p) => p.getByTestId('counts').waitFor(),
    );
    await shoot('requirements', '/requirements', seen('Muster, everyone, every year'));
    await shoot('rehearsal', '/plans/rehearsal?act=past', seen('mails to come'));
    await shoot('evidence', '/matrix/evidence?of=person&id=20', async (p) => {
      await p.getByRole('button', { name: 'Make the pack' }).click();
      await p.getByText(/is made: \d+ files/).waitFor();
    });
    await shoot(
      'timeline',
      '/people?find=runa.aske',
      first(/Runa Aske/),
      (p) => p.getByRole('button', { name: 'Time line' }).click(),
      (p) => p.getByTestId('timeline').waitFor(),
    );
    await shoot('report', '/matrix/2/notified', seen('What went, or why nothing did'));
    await shoot('course', '/courses/2', (p) => p.getByRole('button', { name: 'Open Who is in which team' }).click());
    await shoot('sign-offs', '/courses/3/sign-offs/20', seen('Ways in for supervisors'));
    await shoot('matrix', '/matrix?sort=late&order=desc', (p) => p.locator('.cell.late').first().click(), seen('Last notice'));
    await shoot('certificates', '/certificates', seen('Valid until'));
    await shoot(
      'design',
      '/certificates/designs/2',
      seen('longest name'),
      (p) => p.getByRole('group', { name: 'Name', exact: true }).click(),
      (p) => p.getByLabel('Wide, in millimetres').waitFor(),
    );

    await shoot(
      'replies',
      '/post-room',
      first(/Fire Teams Aboard/),
      (p) => p.getByLabel('Write back as its reader').fill('I was at sea all week and only saw this today. Can I have until Friday?'),
      (p) => p.getByRole('button', { name: 'Send the reply' }).click(),
      seen('Nudrik said'),
      (p) => p.goto(`${base}/replies`),
      (p) => p.locator('table.list tbody tr').first().click(),
      (p) => p.getByLabel(/^Answer, by mail to/).fill('Friday is fine. Begin with the second unit: it takes the longest.'),
    );

    const manager = await signIn('Ivar Moen');
    await manager.getByRole('heading', { name: 'Late' }).waitFor();
    await manager.screenshot({ path: join(folder, 'my-team.png') });
    const employee = await signIn('Runa Aske');
    await employee
      .getByRole('link', { name: /Begin|Go on/ })
      .first()
      .click();
    await employee.locator('article').first().getByRole('button').first().click();
    await employee.screenshot({ path: join(folder, 'learn.png') });
    await browser.close();
  } finally {
    await house.close();
    cluster.stop();
  }
});
