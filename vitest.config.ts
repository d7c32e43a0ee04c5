import { join } from 'node:path';
import angular from '@analogjs/vite-plugin-angular';
import { defineConfig } from 'vitest/config';

const project = (name: string, rest: object = {}) => ({
  test: { name, root: `./${name}`, include: ['src/**/*.test.ts'], ...rest },
});

export default defineConfig({
  test: {
    maxWorkers: 2,
    projects: [
      // no test is a matter of how fast the machine is: a property that hangs is ended, and one on a busy machine is not
      project('core', { testTimeout: 60_000 }),
      project('contract', { testTimeout: 60_000 }),
      project('standins', { testTimeout: 60_000 }),
      project('demo', { testTimeout: 60_000 }),
      // pages and their parts in jsdom, with the server's answers given by the test; the browser tests drive the whole
      {
        plugins: [angular({ tsconfig: join(import.meta.dirname, 'web/tsconfig.spec.json'), jit: false })],
        ...project('web', { environment: 'jsdom', testTimeout: 60_000, setupFiles: ['src/testing/set-up.ts'] }),
      },
      // each file makes a database of its own; the cluster is the one that scripts/test.mjs started
      project('server', { testTimeout: 60_000, hookTimeout: 120_000 }),
    ],
  },
});
