import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const source = (path: string) => fileURLToPath(new URL(path, import.meta.url));
const isServer = process.env.MUTATION_OF === 'server';
/** Separated by commas. */
const rooms = (process.env.MUTATION_FOLDERS ?? '').split(',');

// Only the own tests of what is mutated: others cover the same lines, slowly, and what a room's own tests don't notice they
// seldom do. Tests that end processes of the server run what was built, and so never meet a mutant.
export default defineConfig({
  resolve: {
    alias: [
      { find: /^@uniferum\/core\/(\w+)$/, replacement: `${source('core/src/')}$1/index.ts` },
      { find: '@uniferum/client', replacement: source('client/src/index.ts') },
    ],
  },
  test: isServer
    ? {
        include: rooms.map((room) => `${room}/**/*.test.ts`),
        exclude: ['**/killed-*.test.ts', '**/full-disk.test.ts', '**/two-processes.test.ts'],
        globalSetup: ['tools/test-folder.mjs', 'tools/test-database.mjs'],
        testTimeout: 120_000,
        hookTimeout: 120_000,
      }
    : { include: ['core/src/**/*.test.ts'], testTimeout: 60_000 },
});
