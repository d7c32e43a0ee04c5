import { defineConfig } from '@playwright/test';

/** Browser tests run against a house that scripts/test.mjs has started: its own database, demo, post room and worker. */
export default defineConfig({
  testDir: './e2e',
  fullyParallel: false,
  workers: 1,
  // once more, on a page of its own: it is listed as flaky, and counted
  retries: 1,
  // no test is a matter of how fast the machine is
  timeout: 300_000,
  expect: { timeout: 40_000 },
  reporter: process.env['CI'] ? 'line' : 'list',
  use: {
    baseURL: process.env['NUDRIK_E2E_URL'] ?? 'http://127.0.0.1:4300',
    viewport: { width: 1280, height: 800 },
    actionTimeout: 40_000,
    // a trace of every step costs a third of the time: asked for where something fails
    trace: process.env['NUDRIK_TRACE'] ? 'retain-on-failure' : 'off',
    launchOptions: {
      executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
});
