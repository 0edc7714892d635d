import { expect, type Page, test } from '@playwright/test';
import { misplaced, SIZES } from './boxes.js';
import {
  expectAccessible,
  KEY,
  makePictures,
  moveByKeyboard,
  send,
  signIn,
  URL_OF_CONSOLE,
} from './person.js';

test.describe.configure({ mode: 'serial' });

let page: Page;
test.beforeAll(async ({ browser }) => {
  page = await (await browser.newContext()).newPage();
  await signIn(page);
  await send('/written', await makePictures(3, 'placed'));
});
test.afterAll(() => page.context().close());

const call = async (path: string) =>
  (await fetch(`${URL_OF_CONSOLE}/api/v1${path}`, { headers: { Authorization: `Bearer ${KEY}` } })).json();
const pageId = () => /edit\/(\d+)/.exec(page.url())?.[1] ?? '';
const saved = () => expect(page.getByRole('status').filter({ hasText: /^Saved$/ })).toBeVisible();
const text = () => page.getByRole('textbox', { name: 'Text of the page' });
const place = (n: number) => page.getByRole('button', { name: `Place placed-0${n}.jpg` });

test('a page is begun, written and saved by itself', async () => {
  await page.goto(`${URL_OF_CONSOLE}/pages`);
  await page.getByRole('button', { name: 'New page' }).first().click();
  await page.getByLabel('Title').fill('Gannet Head');
  await page.getByRole('button', { name: 'Create draft' }).click();
  await expect(page.getByRole('textbox', { name: 'Title' })).toHaveValue('Gannet Head');
  await text().click();
  await page.keyboard.type('Built in 1871, and still lit now and then.');
  await saved();
  expect((await call(`/pages/${pageId()}`)).body).toBe('<p>Built in 1871, and still lit now and then.</p>');
});

test('a picture is placed from the shelf by a press, and another by dragging it into the text', async () => {
  await page.getByRole('searchbox', { name: 'Search the library' }).fill('placed');
  await place(1).click();
  await expect(text().locator('figure')).toHaveCount(1);
  await place(2).dragTo(text().getByText('Built in 1871'));
  await expect(text().locator('figure')).toHaveCount(2);
  await saved();
  const { body, html } = await call(`/pages/${pageId()}`);
  expect(body.match(/data-asset="\d+"/g)).toHaveLength(2);
  expect(html).toContain('/media/written/placed-01.jpg');
});

test('how it is shown is set beside it; without alternative text it is not published silently', async () => {
  await text().locator('figure').first().click();
  await page.getByLabel('Alignment').selectOption('Left');
  await page.getByLabel('Caption').fill('At dusk.');
  await page.getByRole('button', { name: 'Publish', exact: true }).click();
  await expect(page.getByText(/Picture 1 has no alternative text/)).toBeVisible();
  for (const n of [0, 1]) {
    await text().locator('figure').nth(n).click();
    await page.getByLabel('Alternative text').fill(`The light, ${n}`);
  }
  await saved();
  await page.getByRole('button', { name: 'Publish', exact: true }).click();
  await expect(page.getByText('published', { exact: true })).toBeVisible();
  const { html } = await call('/pages/at?path=/gannet-head');
  expect(html).toContain('<figure class="align-left">');
  expect(html).toContain('<figcaption>At dusk.</figcaption>');
});

test('looking at what is published changes nothing', async () => {
  await page.reload();
  const { revision } = await call(`/pages/${pageId()}`);
  await text().locator('figure').first().click();
  await expect(page.getByLabel('Alignment')).toBeVisible();
  await text().getByText('Built in 1871').click();
  await saved();
  expect(await call(`/pages/${pageId()}`)).toMatchObject({ revision, hasChanges: false });
});

test('media from this computer are uploaded on the spot, without leaving the text', async () => {
  await text().getByText('Built in 1871').click();
  await page.getByRole('button', { name: 'Media' }).click();
  const dialog = page.getByRole('dialog', { name: 'Place media' });
  await dialog.getByRole('button', { name: 'Upload', exact: true }).click();
  await dialog.getByLabel('File').setInputFiles(await makePictures(1, 'uploaded'));
  await dialog.getByLabel('Alternative text').fill('Sent from here');
  await dialog.getByRole('button', { name: 'Upload and place' }).click();
  await expect(dialog).toBeHidden();
  await expect(text().locator('figure')).toHaveCount(3);
  await saved();
  expect((await call(`/pages/${pageId()}`)).html).toContain('alt="Sent from here"');
});

test('a gallery of a folder is placed, and the preview shows what the site shows', async () => {
  await page.getByRole('button', { name: 'Gallery' }).click();
  const dialog = page.getByRole('dialog', { name: 'Place a gallery' });
  await dialog.getByLabel('Layout').selectOption('Grid of squares');
  await dialog.getByRole('button', { name: 'Place gallery' }).click();
  await expect(text().getByText('Gallery in a grid')).toBeVisible();
  await saved();
  await page.getByRole('button', { name: 'Preview' }).click();
  await expect(page.getByRole('region', { name: 'Preview' }).getByText('At dusk.')).toBeVisible();
  await expect(
    page.getByRole('region', { name: 'Preview' }).locator('.gallery-grid img').first(),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Write' }).click();
});

test('an earlier revision is looked at and restored', async () => {
  await page.getByRole('button', { name: 'Revisions' }).click();
  const dialog = page.getByRole('dialog', { name: 'Revisions' });
  await dialog.getByRole('listitem').last().getByRole('button').click();
  await dialog.getByRole('button', { name: 'Restore' }).click();
  await expect(dialog).toBeHidden();
  await expect(text().locator('figure')).toHaveCount(0);
});

test('a file is placed in a region by a few letters, and the page gets another address', async () => {
  await page.getByRole('button', { name: 'Regions' }).click();
  const box = page.getByRole('combobox', { name: 'Place a file in main' });
  await box.fill('placed-03');
  await expect(page.getByRole('option', { name: /placed-03/ })).toBeVisible();
  await box.press('Enter');
  await expect(page.getByRole('region', { name: 'Region main' }).getByText('placed-03.jpg')).toBeVisible();
  await page.getByRole('button', { name: 'Settings' }).click();
  const dialog = page.getByRole('dialog', { name: 'Page settings' });
  await dialog.getByLabel('Slug').fill('the-head');
  await dialog.getByRole('button', { name: 'Save settings' }).click();
  await expect(dialog).toBeHidden();
  expect(await call(`/pages/${pageId()}`)).toMatchObject({
    path: '/the-head',
    regions: { main: [{ asset: { name: 'placed-03.jpg' } }] },
  });
});

test('files are put into a slot, and their order is changed by keyboard', async () => {
  await fetch(`${URL_OF_CONSOLE}/api/v1/page-types`, {
    method: 'POST',
    headers: { Authorization: `Bearer ${KEY}`, 'Content-Type': 'application/json' },
    body: JSON.stringify({
      ...{ name: 'light', title: 'Lighthouse', regions: ['main'] },
      slots: [{ name: 'pictures', help: 'The best first.', kinds: ['image'], most: 2 }],
    }),
  });
  await page.reload();
  await page.getByRole('button', { name: 'Settings' }).click();
  await page.getByRole('dialog').getByLabel('Type').selectOption('Lighthouse');
  await page.getByRole('button', { name: 'Save settings' }).click();
  await page.getByRole('button', { name: 'Slots' }).click();
  const slot = page.getByRole('region', { name: 'Slot pictures' });
  for (const n of [1, 2]) {
    await slot.getByRole('button', { name: 'Add a file' }).click();
    const dialog = page.getByRole('dialog', { name: 'Add to pictures' });
    await dialog.getByRole('searchbox').fill('placed');
    await dialog.getByRole('button', { name: `Place placed-0${n}.jpg` }).click();
    await expect(slot.getByText(`placed-0${n}.jpg`)).toBeVisible();
  }
  await expect(slot.getByRole('button', { name: 'Add a file' })).toBeDisabled();
  const names = async () =>
    (await call(`/pages/${pageId()}/slots/pictures`)).items.map(({ name }: { name: string }) => name);
  await expect.poll(names).toEqual(['placed-01.jpg', 'placed-02.jpg']);
  await slot.getByRole('button', { name: 'Move placed-02.jpg', exact: true }).focus();
  await moveByKeyboard(page, { key: 'ArrowUp', from: 2, to: 1, of: 2 });
  await expect.poll(names).toEqual(['placed-02.jpg', 'placed-01.jpg']);
  await slot.getByRole('button', { name: 'Remove placed-02.jpg' }).click();
  await expect.poll(names).toEqual(['placed-01.jpg']);
});

test('what somebody else saved meanwhile is not written over', async () => {
  await fetch(`${URL_OF_CONSOLE}/api/v1/pages/${pageId()}`, {
    method: 'PATCH',
    headers: { Authorization: `Bearer ${KEY}`, 'Content-Type': 'application/json' },
    body: JSON.stringify({ body: '<p>By a colleague.</p>' }),
  });
  await text().click();
  await page.keyboard.type('Mine. ');
  await expect(page.getByText('Someone else has saved this page since you opened it.')).toBeVisible();
  expect((await call(`/pages/${pageId()}`)).body).toBe('<p>By a colleague.</p>');
  await page.getByRole('button', { name: 'Overwrite with my version' }).click();
  await saved();
  expect((await call(`/pages/${pageId()}`)).body).toContain('Mine.');
});

test('the editor is accessible, and all of it in place at every size', async () => {
  test.setTimeout(60_000);
  await expectAccessible(page, '/pages/edit');
  const found: string[] = [];
  for (const [width, height] of SIZES) {
    await page.setViewportSize({ width, height });
    found.push(...(await page.evaluate(misplaced)).map((what) => `${width} × ${height}: ${what}`));
  }
  expect(found).toEqual([]);
});

test('files of this computer are dropped into the text; what is refused is said, and the rest is placed', async () => {
  const count = await text().locator('figure').count();
  const dropped = await page.evaluateHandle(async () => {
    const canvas = new OffscreenCanvas(60, 40);
    canvas.getContext('2d')?.fillRect(0, 0, 30, 40);
    const data = new DataTransfer();
    data.items.add(new File([await canvas.convertToBlob()], 'dropped.png', { type: 'image/png' }));
    data.items.add(new File([], 'empty.png', { type: 'image/png' }));
    return data;
  });
  const box = await text().locator('p').first().boundingBox();
  const at = { clientX: (box?.x ?? 0) + 5, clientY: (box?.y ?? 0) + 5 };
  await text().dispatchEvent('drop', { dataTransfer: dropped, ...at });
  const dialog = page.getByRole('dialog', { name: 'Place media' });
  await expect(dialog.getByText('dropped.png, empty.png')).toBeVisible();
  await dialog.getByRole('button', { name: 'Upload and place' }).click();
  await expect(dialog.getByRole('alert')).toContainText('empty.png is empty');
  await dialog.getByRole('button', { name: 'Close' }).click();
  await expect(text().locator('figure')).toHaveCount(count + 1);
  await saved();
});

test('a type of pages gets a slot in the console', async () => {
  await page.goto(`${URL_OF_CONSOLE}/pages/types`);
  await page.getByRole('button', { name: 'Edit Lighthouse' }).click();
  const dialog = page.getByRole('dialog', { name: 'Page type Lighthouse' });
  await dialog.getByRole('button', { name: 'Add a slot' }).click();
  await dialog.getByRole('button', { name: 'Save page type' }).click();
  await expect(dialog.getByText(/Use lower-case letters/)).toBeVisible();
  const slot = dialog.getByRole('group', { name: /Slot/ }).last();
  await slot.getByLabel('Name').fill('downloads');
  await dialog.getByRole('checkbox', { name: 'document' }).last().check();
  await slot.getByLabel('Maximum').fill('3');
  await dialog.getByRole('button', { name: 'Save page type' }).click();
  await expect(dialog).toBeHidden();
  await expect(page.getByText('pictures (image, 0 to 2), downloads (document, 0 to 3)')).toBeVisible();
  await page.getByRole('button', { name: 'Delete Lighthouse' }).click();
  await page.getByRole('button', { name: 'Delete page type' }).click();
  await expect(page.getByText(/pages are of the type "light"/)).toBeVisible();
  await page.goBack();
});

test('a page is deleted after a question', async () => {
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.getByRole('button', { name: 'Settings' }).click();
  await page.getByRole('button', { name: 'Delete page' }).click();
  await page.getByRole('button', { name: 'Delete with all revisions' }).click();
  await expect(page.getByRole('button', { name: 'New page' })).toBeVisible();
  expect((await call('/pages?q=the-head')).total).toBe(0);
});
