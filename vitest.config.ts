import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const source = (path: string) => fileURLToPath(new URL(path, import.meta.url));

const alias = [
  { find: /^@uniferum\/core\/(\w+)$/, replacement: `${source('core/src/')}$1/index.ts` },
  { find: '@uniferum/client', replacement: source('client/src/index.ts') },
];

export default defineConfig({
  test: {
    // By default one processor is left free; these tests wait for databases and processes more than they compute.
    maxWorkers: 2,
    projects: [
      {
        resolve: { alias },
        test: {
          name: 'unit',
          testTimeout: 120_000,
          hookTimeout: 120_000,
          include: [
            'core/src/**/*.test.ts',
            'client/src/**/*.test.ts',
            'cli/src/**/*.test.ts',
            'web/src/**/*.test.ts',
            'standins/src/**/*.test.ts',
            'demo/src/**/*.test.ts',
            'tools/**/*.test.mjs',
          ],
        },
      },
      {
        resolve: { alias },
        test: {
          name: 'console',
          include: ['web/src/**/*.test.tsx'],
          environment: 'jsdom',
          testTimeout: 60_000,
          setupFiles: ['web/src/testing/setup.ts'],
        },
      },
      {
        resolve: { alias },
        test: {
          name: 'server',
          include: ['server/src/**/*.test.ts'],
          globalSetup: ['tools/test-database.mjs'],
          // Tests wait for conditions: these only end what would wait for ever, also on a machine that is busy otherwise.
          testTimeout: 300_000,
          hookTimeout: 300_000,
        },
      },
    ],
  },
});
