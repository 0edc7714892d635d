import { expect, type Page, test } from '@playwright/test';
import { misplaced, SIZES } from './boxes.js';
import { makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

const PAGES = [
  '/',
  '/intake',
  '/intake?way=addresses&folder=/layout',
  '/intake?way=manifest&folder=/layout',
  '/intake?way=inbox&folder=/layout',
  '/library/layout',
  '/library/layout?as=table',
  '/library?counts=yes&q=kind:image',
  '/bin',
  '/duplicates',
  '/recipes',
  '/recipes/new',
  '/recipes/matrix',
  '/recipes/surplus',
  '/recipes/originals',
  '/pages',
  '/pages/types',
  '/pages/sources',
  '/connections',
  '/connections/stores',
  '/pages/broken',
  '/runs',
  '/runs/workers',
  '/automate',
];

let page: Page;

test.beforeAll(async ({ browser }) => {
  page = await browser.newPage();
  await signIn(page);
  await send('/layout', await makePictures(3, `${'a-long-name-'.repeat(14)}نور-🌊`));
});

test.afterAll(() => page.close());

for (const [width, height] of SIZES) {
  test(`at ${width} × ${height} nothing is cut off, and nothing covers anything`, async () => {
    await page.setViewportSize({ width, height });
    const found: string[] = [];
    for (const path of PAGES) {
      await page.goto(URL_OF_CONSOLE + path);
      await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
      await page.waitForLoadState('networkidle').catch(() => {});
      found.push(...(await page.evaluate(misplaced)).map((what) => `${path}: ${what}`));
    }
    expect(found).toEqual([]);
  });

  test(`at ${width} × ${height} an open line leaves room for the listing`, async () => {
    await page.setViewportSize({ width, height });
    await page.goto(`${URL_OF_CONSOLE}/library/layout`);
    await page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click();
    await expect(page.getByRole('button', { name: 'Edit texts, name and folder' })).toBeVisible();
    const sheet = await page.getByRole('list', { name: 'Contact sheet' }).locator('..').boundingBox();
    expect(sheet?.height).toBeGreaterThanOrEqual(90);
    expect(await page.evaluate(misplaced)).toEqual([]);
  });
}
