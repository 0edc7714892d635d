import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const source = (path: string) => fileURLToPath(new URL(path, import.meta.url));

const alias = [
  { find: /^@uniferum\/core\/(\w+)$/, replacement: `${source('core/src/')}$1/index.ts` },
  { find: '@uniferum/client', replacement: source('client/src/index.ts') },
];

/** What depends most on where bytes are kept. */
const BUCKET_HOME_TESTS = [
  'server/src/intake/archive.test.ts',
  'server/src/library/keeping.test.ts',
  'server/src/serving/*.test.ts',
];

/** Tests of the console that need the real client, or replace another module. */
const CONSOLE_ALONE = ['web/src/access/session.test.tsx', 'web/src/pages/picker/*.test.tsx'];

export default defineConfig({
  test: {
    // By default one processor is left free; these tests wait for databases and processes more than they compute.
    maxWorkers: 3,
    projects: [
      {
        resolve: { alias },
        test: {
          name: 'unit',
          isolate: false,
          globalSetup: ['tools/test-folder.mjs'],
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
          exclude: CONSOLE_ALONE,
          environment: 'jsdom',
          testTimeout: 60_000,
          setupFiles: ['web/src/testing/setup.ts', 'web/src/testing/with-fake-client.ts'],
        },
      },
      {
        resolve: { alias },
        test: {
          name: 'console-alone',
          include: CONSOLE_ALONE,
          environment: 'jsdom',
          testTimeout: 60_000,
          setupFiles: ['web/src/testing/setup.ts'],
        },
      },
      {
        resolve: { alias },
        test: {
          name: 'server',
          // Loading the modules of the server for each file again would take longer than the tests.
          isolate: false,
          // Scripts are tested against a server as well.
          include: ['server/src/**/*.test.ts', 'e2e/scripts/**/*.test.ts'],
          globalSetup: ['tools/test-folder.mjs', 'tools/test-database.mjs'],
          // Tests wait for conditions: these only end what would wait for ever, also on a machine that is busy otherwise.
          testTimeout: 300_000,
          hookTimeout: 300_000,
        },
      },
      {
        resolve: { alias },
        test: {
          // The same tests with a bucket as the home store; all of them with UNIFERUM_TEST_ALL=1, which takes minutes.
          name: 'bucket-home',
          isolate: false,
          include: process.env.UNIFERUM_TEST_ALL ? ['server/src/**/*.test.ts'] : BUCKET_HOME_TESTS,
          globalSetup: ['tools/test-folder.mjs', 'tools/test-database.mjs'],
          testTimeout: 300_000,
          hookTimeout: 300_000,
        },
      },
    ],
  },
});
