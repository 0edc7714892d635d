import { expect, type Request, test } from '@playwright/test';
import { signIn, URL_OF_CONSOLE } from './person.js';

/** What the first view may send of scripts, as it goes over the line. */
const MOST_SCRIPT_BYTES = 180_000;

test('the first view needs few scripts, compressed, and a page brings its own', async ({ browser }) => {
  const page = await browser.newPage();
  const scripts: Promise<{ url: string; bytes: number; encoding: string | null }>[] = [];
  const note = (request: Request) => {
    if (request.resourceType() !== 'script') return;
    scripts.push(
      (async () => ({
        url: request.url(),
        bytes: (await request.sizes()).responseBodySize,
        encoding: (await (await request.response())?.headerValue('content-encoding')) ?? null,
      }))(),
    );
  };
  page.on('requestfinished', note);
  await page.goto(URL_OF_CONSOLE);
  await signIn(page);
  await expect(page.getByRole('heading', { name: 'Flow' })).toBeVisible();
  await page.waitForLoadState('networkidle');
  const first = await Promise.all(scripts);
  expect(first.length).toBeGreaterThan(1);
  expect(first.reduce((sum, { bytes }) => sum + bytes, 0)).toBeLessThan(MOST_SCRIPT_BYTES);
  const large = first.filter(({ bytes }) => bytes > 10_000);
  expect(large.map(({ encoding }) => encoding)).toEqual(large.map(() => 'br'));
  await page.getByRole('link', { name: 'Library', exact: true }).click();
  await expect(page.getByRole('combobox', { name: 'Filter', exact: true })).toBeVisible();
  await page.waitForLoadState('networkidle');
  // What is still asked for when the page closes would fail the test that comes next.
  page.off('requestfinished', note);
  expect((await Promise.all(scripts)).length).toBeGreaterThan(first.length);
  await page.close();
});
