import { expect, type Page, test } from '@playwright/test';
import { expectInPlace, misplaced, SIZES } from './boxes.js';
import { expectAccessible, makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

const VIEWS = [
  '/',
  '/intake',
  '/intake?way=addresses&folder=/layout',
  '/intake?way=manifest&folder=/layout',
  '/intake?way=inbox&folder=/layout',
  '/library/layout',
  '/library/layout?as=table',
  '/library?counts=yes&q=kind:image',
  '/bin',
  '/duplicates?by=look',
  '/recipes',
  '/recipes/new',
  '/recipes/wide',
  '/recipes/matrix',
  '/recipes/surplus',
  '/recipes/originals',
  '/pages',
  '/pages/types',
  '/pages/sources',
  '/pages/broken',
  '/connections',
  '/connections/stores',
  '/runs',
  '/runs/workers',
  '/automate',
];

let page: Page;

test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
  await signIn(page);
  await send('/layout', await makePictures(3, `${'a-long-name-'.repeat(14)}نور-🌊`));
});

test.afterAll(() => page.context().close());

for (const path of VIEWS)
  test(`at ${path} axe finds nothing serious, and at every size nothing is cut off or covered`, async () => {
    await page.goto(URL_OF_CONSOLE + path);
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible();
    await expectAccessible(page, path);
    await expectInPlace(page, path);
  });

test('an open line leaves room for the listing at every size, and axe finds nothing serious in it', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/layout?sort=name`);
  await page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click();
  await expect(page.getByRole('button', { name: 'Edit texts, name and folder' })).toBeVisible();
  await expectAccessible(page, 'an open line');
  for (const [width, height] of SIZES) {
    await page.setViewportSize({ width, height });
    const sheet = page.getByRole('list', { name: 'Contact sheet' }).locator('..');
    await expect.poll(async () => (await sheet.boundingBox())?.height).toBeGreaterThanOrEqual(90);
    await expect.poll(() => page.evaluate(misplaced)).toEqual([]);
  }
});
