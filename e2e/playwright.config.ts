import { defineConfig } from '@playwright/test';
// @ts-expect-error the tools are JavaScript
import { CHROMIUM } from '../tools/chromium.mjs';

export default defineConfig({
  testDir: '.',
  testMatch: '*.spec.ts',
  globalSetup: './global-setup.ts',
  outputDir: '../var/e2e-results',
  workers: 1,
  // Ends what would wait for ever, also on a machine that is busy otherwise.
  timeout: 600_000,
  expect: { timeout: 30_000 },
  use: { viewport: { width: 1280, height: 800 }, launchOptions: CHROMIUM, trace: 'off' },
});
