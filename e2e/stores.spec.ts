import { expect, type Page, test } from '@playwright/test';
// @ts-expect-error the tools are JavaScript
import { PASSWORD } from '../tools/stack.mjs';
import { makePictures, send, signIn, URL_OF_CONSOLE } from './person.js';

test.describe.configure({ mode: 'serial' });

let page: Page;
test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
  await send('/placed', await makePictures(2, 'placed'));
});
test.afterAll(() => page.context().close());

const dialog = () => page.getByRole('dialog');

test('a bucket is connected after a test, and becomes a store', async () => {
  await page.goto(`${URL_OF_CONSOLE}/connections`);
  await page.getByRole('button', { name: 'New bucket' }).click();
  await dialog().getByLabel('Name', { exact: true }).fill('Far bucket');
  await dialog()
    .getByLabel('Endpoint')
    .fill(process.env.E2E_BUCKET ?? '');
  await dialog().getByLabel('Region').fill('farrow-1');
  await dialog().getByLabel('Bucket', { exact: true }).fill('lights');
  await dialog().getByLabel('Access key').fill('keeper');
  await dialog().getByLabel('Secret').fill(PASSWORD);
  await dialog().getByRole('button', { name: 'Test' }).click();
  await expect(dialog().getByText('Deleting:')).toBeVisible();
  await dialog().getByRole('button', { name: 'Add bucket' }).click();
  await expect(dialog()).toHaveCount(0);

  await page.getByRole('link', { name: 'Stores' }).click();
  await page.getByRole('button', { name: 'New store' }).click();
  await dialog().getByLabel('Name').fill('far');
  await dialog().getByRole('button', { name: 'Add store' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'far' })).toContainText('0 copies');
});

test('a folder is placed in it after a rehearsal, and the line shows its copies', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/placed`);
  await page.getByRole('button', { name: 'Where its files are stored' }).click();
  await dialog().getByLabel("Set this folder's own placement").check();
  await dialog().getByLabel('far').check();
  await expect(dialog().getByRole('region', { name: 'What would be stored' })).toContainText(/\d+ files, /);
  await dialog().getByRole('button', { name: 'Save placement' }).click();
  await expect(dialog()).toHaveCount(0);
  await page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().click();
  const line = page.getByRole('region', { name: /^The line of/ });
  await expect(line.getByText(/far/)).toBeVisible();
  await line.getByRole('button', { name: 'Copies …' }).click();
  await expect(dialog().getByRole('listitem').filter({ hasText: 'lights/placed/' }).first()).toContainText(
    'stored',
  );
});

test('copies of a selection are dropped, but never the last', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/placed`);
  await page.getByRole('list', { name: 'Contact sheet' }).getByRole('button').first().waitFor();
  await page.keyboard.press('a');
  await page.getByRole('button', { name: 'Copies …' }).click();
  await dialog().getByLabel('What to do').selectOption('drop');
  await dialog().getByLabel('Store').selectOption('server');
  await dialog()
    .getByRole('button', { name: /^Drop \d+ files$/ })
    .click();
  await expect(page.getByRole('row').filter({ hasText: 'Dropping copies of 2 files' })).toContainText('done');
  // They come back when somebody looks at them.
  await page.goto(`${URL_OF_CONSOLE}/library/placed`);
  const first = page.getByRole('list', { name: 'Contact sheet' }).locator('img').first();
  await expect.poll(() => first.evaluate((node: HTMLImageElement) => node.naturalWidth)).toBeGreaterThan(0);
});

test('an audit finds nothing, and says so', async () => {
  await page.goto(`${URL_OF_CONSOLE}/connections/stores`);
  await page.getByRole('button', { name: 'Audit far in full' }).click();
  await expect(page.getByText('Audit of far has begun.')).toBeVisible();
  await expect(page.getByRole('listitem').filter({ hasText: 'far' })).toContainText(/audited .*ago/);
  await page.getByRole('button', { name: 'Findings in far' }).click();
  await expect(dialog().getByText('Nothing was found, or everything is repaired.')).toBeVisible();
  await page.keyboard.press('Escape');
});
