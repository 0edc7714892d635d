import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const source = (path: string) => fileURLToPath(new URL(path, import.meta.url));

const alias = {
  '@uniferum/core': source('core/src/index.ts'),
  '@uniferum/client': source('client/src/index.ts'),
};

export default defineConfig({
  test: {
    projects: [
      {
        resolve: { alias },
        test: {
          name: 'unit',
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
          name: 'server',
          include: ['server/src/**/*.test.ts'],
          globalSetup: ['tools/test-database.mjs'],
          testTimeout: 60_000,
          hookTimeout: 60_000,
        },
      },
    ],
  },
});
