import { defineConfig } from 'vitest/config';

const project = (name: string, rest: object = {}) => ({
  test: { name, root: `./${name}`, include: ['src/**/*.test.ts'], ...rest },
});

export default defineConfig({
  test: {
    maxWorkers: 2,
    projects: [
      project('core'),
      project('contract'),
      project('standins'),
      project('demo'),
      // what of the web is plain TypeScript; its pages are driven by the browser tests
      project('web'),
      // each file makes a database of its own; the cluster is the one that scripts/test.mjs started
      project('server', { testTimeout: 30_000, hookTimeout: 60_000 }),
    ],
  },
});
