import { execFile } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { expect, type Page, test } from '@playwright/test';
import { chooseFolder, KEY, makeFile, makePictures, signIn, URL_OF_CONSOLE, URL_OF_SITE } from './person.js';

test.describe.configure({ mode: 'serial' });

let page: Page;
let firstPicture = '';
test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
});
test.afterAll(() => page.context().close());

test('a wrong password says what to do, the right one leads to the flow', async () => {
  await page.goto(URL_OF_CONSOLE);
  await page.getByLabel('Email').fill('keeper@skerry.example');
  await page.getByLabel('Password').fill('wrong');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('alert')).toContainText('The email or the password is wrong');
  await signIn(page);
  await expect(page.getByText('No files yet')).toBeVisible();
});

test("twenty pictures of one's own: rules before, a verdict for each, renditions appear", async () => {
  const files = [
    ...(await makePictures(20)),
    await makeFile(
      'far too large.jpg',
      Buffer.concat([Buffer.from([0xff, 0xd8, 0xff, 0xe0]), randomBytes(2_100_000)]),
    ),
    await makeFile('notes.txt', 'not a picture'),
    await makeFile('hidden.jpg', '%PDF-1.7 a paper that calls itself a picture'),
  ];
  firstPicture = files[0] ?? '';
  await page.getByRole('link', { name: 'Intake', exact: true }).click();
  await chooseFolder(page, page.getByRole('combobox', { name: 'Target folder' }), '/lights/gannet-head');
  const rules = page.getByRole('region', { name: 'Rules of the target folder' });
  await expect(rules).toContainText('Maximum size2 MBset here');
  await expect(rules).toContainText('Allowed typesimage/*');

  await page.getByLabel('Files to upload').setInputFiles(files);
  const batch = page.getByRole('region', { name: 'This batch' });
  await expect(batch.getByRole('heading', { name: '23 of 23 checked' })).toBeVisible();
  await expect(batch.getByRole('listitem').filter({ hasText: 'accepted' })).toHaveCount(20);
  await expect(batch.getByRole('button', { name: '3 refused' })).toBeVisible();
  await expect(batch.getByText('Refused: ')).toBeVisible();
  await expect(batch.getByRole('listitem').filter({ hasText: 'far too large.jpg' })).toContainText(
    '2.1 MB; /lights/gannet-head accepts files up to 2 MB',
  );
  await expect(batch.getByRole('listitem').filter({ hasText: 'notes.txt' })).toContainText(
    '/lights/gannet-head accepts only image/*',
  );
  await expect(batch.getByRole('listitem').filter({ hasText: 'hidden.jpg' })).toContainText(
    'application/pdf',
  );

  const strip = page.getByRole('contentinfo', { name: 'Run activity' });
  await expect(strip).toContainText('Renditions of 20 files in /lights/gannet-head');
  await expect(strip).toContainText('20 of 20');
});

test('the same files again do no harm: each is accepted with a warning', async () => {
  await page.getByRole('button', { name: 'Clear the list' }).click();
  await page.getByLabel('Files to upload').setInputFiles(firstPicture);
  const row = page.getByRole('region', { name: 'This batch' }).getByRole('listitem');
  await expect(row).toContainText('with warnings');
  await expect(row).toContainText('has the same bytes as /lights/gannet-head/picture-01.jpg');
  await row.getByRole('link', { name: 'Open in the library' }).click();
  await expect(page.getByRole('region', { name: /The line of picture-01-2.jpg/ })).toBeVisible();
});

test('sheet and table agree on the count, and the keyboard walks through both', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/lights/gannet-head?sort=name`);
  await expect(page.getByText('21 of 21')).toBeVisible();
  await page.getByRole('button', { name: 'picture-01.jpg' }).click();
  await expect(page.getByRole('region', { name: /The line of picture-01.jpg/ })).toBeVisible();
  await page.keyboard.press('ArrowRight');
  await expect(
    page.getByRole('region', { name: /The line of picture-01-2.jpg|The line of picture-02.jpg/ }),
  ).toBeVisible();
  await page.keyboard.press('v');
  await expect(page.getByRole('table', { name: 'Assets' })).toBeVisible();
  await expect(page.getByText('21 of 21')).toBeVisible();
  await expect(page.getByRole('table').getByText('3 fresh').first()).toBeVisible();
  await page.keyboard.press('v');
});

test('the line shows the life of a picture; its address and those of its renditions open', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/lights/gannet-head?sort=name`);
  await page.getByRole('button', { name: 'picture-02.jpg' }).click();
  const line = page.getByRole('region', { name: /The line of/ });
  for (const stage of ['Source', 'Verdict', 'Texts', 'Versions', 'Renditions', 'Copies', 'Uses'])
    await expect(line.getByRole('heading', { name: stage })).toBeVisible();
  await expect(line.getByText('fresh')).toHaveCount(3);
  const address = await line.getByRole('link', { name: /\/media\// }).getAttribute('href');
  const original = await page.request.get(address ?? '');
  expect([original.status(), original.headers()['content-type']]).toEqual([200, 'image/jpeg']);
  const wide = await page.request.get(
    (await line.getByRole('link', { name: 'wide' }).getAttribute('href')) ?? '',
  );
  expect([wide.status(), wide.headers()['content-type']]).toEqual([200, 'image/webp']);
});

test('texts are edited, the same as code, and a new name forwards from the old', async () => {
  await page.getByRole('button', { name: 'Edit texts, name and folder' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Title').fill('Dusk over the sound');
  await dialog.getByLabel('Alternative text').fill('A tower before an orange sky');
  await dialog.getByLabel('Name', { exact: true }).fill('dusk.jpg');
  await dialog.getByRole('button', { name: 'as code' }).click();
  await expect(page.getByRole('tabpanel')).toContainText('"alt": "A tower before an orange sky"');
  await page.keyboard.press('Escape');
  await dialog.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('heading', { name: 'Dusk over the sound' })).toBeVisible();
  const old = await page.request.get(`${URL_OF_CONSOLE}/media/lights/gannet-head/picture-02.jpg`, {
    maxRedirects: 0,
  });
  expect([old.status(), old.headers().location]).toEqual([
    308,
    `${URL_OF_CONSOLE}/media/lights/gannet-head/dusk.jpg`,
  ]);
});

test('a page of the demo site shows the picture, in the size that the browser chose', async () => {
  const site = await page.context().newPage();
  await site.goto(`${URL_OF_SITE}/lights/gannet-head`);
  const picture = site.getByAltText('A tower before an orange sky');
  await picture.scrollIntoViewIfNeeded();
  await expect
    .poll(() => picture.evaluate((image: HTMLImageElement) => image.complete && image.naturalWidth > 0))
    .toBe(true);
  expect(await picture.getAttribute('srcset')).toMatch(/dusk~column\.webp 400w, .*dusk~wide\.webp 900w$/);
  expect(await picture.evaluate((image: HTMLImageElement) => image.currentSrc)).toContain(
    '/media/lights/gannet-head/dusk~',
  );
  await site.close();
});

test('a recipe is made, rehearsed and carried out, and its run can be followed', async () => {
  await page.getByRole('link', { name: 'Recipes', exact: true }).click();
  await page.getByRole('link', { name: 'New recipe' }).click();
  await page.getByRole('textbox', { name: 'Title' }).fill('For the newsletter');
  await page.getByRole('textbox', { name: 'Name in addresses' }).fill('letter');
  await page.getByLabel('Width, px').fill('320');
  await page.getByLabel('Height, px').fill('320');
  await page.getByRole('button', { name: 'Create recipe' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'For the newsletter' })).toContainText('21 due');
  const dialog = page.getByRole('dialog');

  await page.getByRole('button', { name: 'Rehearse a rebuild' }).click();
  await dialog.getByLabel('Recipe').selectOption('letter');
  await dialog.getByLabel('Renditions').selectOption('missing');
  await expect(dialog.getByRole('listitem')).toHaveCount(21);
  await dialog.getByRole('button', { name: 'Render 21 renditions' }).click();
  await expect(page.getByRole('heading', { name: 'Rebuild letter' })).toBeVisible();
  await expect(page.getByRole('row').filter({ hasText: 'Rebuild letter' })).toContainText('done');
  await expect(page.getByRole('region', { name: 'Items', exact: true }).getByRole('listitem')).toHaveCount(
    21,
  );
});

test('a folder is made, given rules and taken away', async () => {
  await page.getByRole('link', { name: 'Library', exact: true }).click();
  await page.getByRole('button', { name: 'New folder' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('press');
  await page.getByRole('button', { name: 'Create folder' }).click();
  await expect(page.getByText('This folder is empty')).toBeVisible();
  await page.getByRole('button', { name: 'Rules' }).click();
  await page.getByLabel('Denied types').fill('.GIF, tiff');
  await page.getByLabel('Maximum items').fill('3');
  await page.getByRole('button', { name: 'Save rules' }).click();
  await page.getByRole('link', { name: 'Import files' }).first().click();
  await expect(page.getByRole('region', { name: 'Rules of the target folder' })).toContainText(
    'Maximum items3set here',
  );
  await page.goto(`${URL_OF_CONSOLE}/library/press`);
  await page.getByRole('button', { name: 'Delete this folder' }).click();
  await page.getByRole('button', { name: 'Delete' }).click();
  await expect(page.getByRole('heading', { name: 'Library', level: 1 })).toBeVisible();
});

test('a key is shown once, and a ten-line script brings a picture in with it', async () => {
  await page.getByRole('link', { name: 'Automate', exact: true }).click();
  await page.getByRole('button', { name: 'New key' }).click();
  await page.getByRole('dialog').getByRole('textbox', { name: 'Name' }).fill('Ten lines');
  await page.getByRole('button', { name: 'Create key' }).click();
  const secret = (await page.getByRole('dialog').getByText(/^uf_/).textContent()) ?? '';
  await page.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByText(secret)).toHaveCount(0);

  const root = fileURLToPath(new URL('..', import.meta.url));
  const [picture] = await makePictures(1, 'scripted');
  const script = join(root, 'client', `.ten-lines-${process.pid}.mjs`);
  await writeFile(
    script,
    `import { openAsBlob } from 'node:fs';
import { rm } from 'node:fs/promises';
import { createClient } from '@uniferum/client';
await rm(new URL(import.meta.url));
const uniferum = createClient({ baseUrl: process.argv[2], key: process.argv[3] });
const data = await openAsBlob(process.argv[4]);
const [result] = await uniferum.assets.upload({ folder: '/scripts', files: [{ name: 'scripted.jpg', data }] });
console.log(result.verdict.outcome, result.asset.url);
`,
  );
  const { stdout } = await promisify(execFile)(process.execPath, [
    script,
    URL_OF_CONSOLE,
    secret,
    picture ?? '',
  ]);
  expect(stdout.trim()).toBe(`accepted ${URL_OF_CONSOLE}/media/scripts/scripted.jpg`);
});

test('the flow shows true counts, also of what has just happened elsewhere', async () => {
  await page.getByRole('link', { name: 'Flow', exact: true }).click();
  await expect(page.getByRole('link', { name: /^Library 22 assets/ })).toBeVisible();
  // Two of them were refused before they were sent.
  await expect(page.getByRole('link', { name: /^Refused/ })).toContainText('3 refused');
  const form = new FormData();
  form.append('folder', '/live');
  form.append('file', new Blob(['live']), 'live.txt');
  await fetch(`${URL_OF_CONSOLE}/api/v1/assets`, {
    method: 'POST',
    headers: { Authorization: `Bearer ${KEY}` },
    body: form,
  });
  await expect(page.getByRole('link', { name: /^Library 23 assets/ })).toBeVisible();
});

test('the palette and the keys lead everywhere', async () => {
  await page.keyboard.press('Control+k');
  await page.getByPlaceholder('A station or a folder').fill('gannet');
  await page.keyboard.press('Enter');
  await expect(page.getByText('21 of 21')).toBeVisible();
  await page.keyboard.press('g');
  await page.keyboard.press('u');
  await expect(page.getByRole('heading', { name: 'Runs', level: 1 })).toBeVisible();
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keyboard shortcuts' })).toBeVisible();
  await page.keyboard.press('Escape');
});

test('signing out ends it', async () => {
  await page.getByRole('button', { name: /^Sign out/ }).click();
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await page.goto(`${URL_OF_CONSOLE}/library`);
  await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
});
