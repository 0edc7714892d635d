import { execFileSync } from 'node:child_process';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { expect, type Page, test } from '@playwright/test';
import sharp from 'sharp';
import { FORMS, readCode, runCode } from './as-code.js';
import { expectLayerInPlace } from './boxes.js';
import {
  drag,
  expectAccessible,
  INBOX,
  KEY,
  makeFile,
  makePictures,
  signIn,
  URL_OF_CONSOLE,
} from './person.js';

let page: Page;
test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  await signIn(page);
});
test.afterAll(() => page.context().close());

const api = async (path: string, init: RequestInit = {}) => {
  const response = await fetch(`${URL_OF_CONSOLE}/api/v1${path}`, {
    ...init,
    headers: { Authorization: `Bearer ${KEY}`, 'Content-Type': 'application/json' },
  });
  return response.status === 204 ? null : response.json();
};
const count = async (q: string, folder = '/') =>
  (await api(`/assets?limit=1&deep=true&folder=${encodeURIComponent(folder)}&q=${encodeURIComponent(q)}`))
    .total;

test('a zip archive is unpacked into folders, and its run is linked', async () => {
  const pictures = await makePictures(3, 'zipped');
  const folder = dirname(pictures[0] ?? '');
  await mkdir(join(folder, 'views/near'), { recursive: true });
  for (const [index, picture] of pictures.entries())
    await writeFile(
      join(folder, index === 0 ? 'views' : 'views/near', `view-${index}.jpg`),
      await readFile(picture),
    );
  execFileSync('zip', ['-qr', 'views.zip', 'views'], { cwd: folder });
  await page.goto(`${URL_OF_CONSOLE}/intake`);
  await page.getByLabel('Files to upload').setInputFiles(join(folder, 'views.zip'));
  await expect(page.getByRole('link', { name: 'Being unpacked' })).toBeVisible();
  await expect.poll(() => count('', '/views')).toBe(3);
  expect(await count('', '/views/near')).toBe(2);
});

test('a large file goes on where it was after the page was reloaded in the middle of it', async () => {
  const file = await makeFile(
    'long-film.webm',
    Buffer.concat([Buffer.from([0x1a, 0x45, 0xdf, 0xa3]), Buffer.alloc(90_000_000, 7)]),
  );
  const isLaterPiece = (request: { method(): string; headers(): Record<string, string> }) =>
    request.method() === 'PATCH' && Number(request.headers()['upload-offset']) > 0;
  await page.goto(`${URL_OF_CONSOLE}/intake`);
  const [cut] = await Promise.all([
    page.waitForRequest(isLaterPiece),
    page.getByLabel('Files to upload').setInputFiles(file),
  ]);
  // The line is cut while a piece is on its way, and the page is gone before it comes back.
  await page.context().setOffline(true);
  await page.goto('about:blank');
  await page.context().setOffline(false);
  await page.goto(`${URL_OF_CONSOLE}/intake`);
  const offsets: number[] = [];
  page.on('request', (request) => {
    if (request.method() === 'PATCH') offsets.push(Number(request.headers()['upload-offset']));
  });
  await page.getByLabel('Files to upload').setInputFiles(file);
  await expect(page.getByRole('heading', { name: '1 of 1 checked' })).toBeVisible({ timeout: 30_000 });
  expect(offsets[0]).toBeGreaterThanOrEqual(Number(cut.headers()['upload-offset']));
  expect(offsets[0]).toBeGreaterThan(0);
  expect(await count('"long film"')).toBe(1);
});

test('the inbox shows what is new; what is ticked is rehearsed and registered, once', async () => {
  await mkdir(join(INBOX, 'scans'), { recursive: true });
  for (let n = 0; n < 4; n += 1)
    await writeFile(join(INBOX, 'scans', `page-${n}.txt`), `page ${n} of the log`);
  await page.goto(`${URL_OF_CONSOLE}/intake?way=inbox&folder=/`);
  await expect(page.getByText('4 files in the inbox')).toBeVisible();
  await page.getByLabel('Import scans/page-3.txt').uncheck();
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.getByRole('status')).toContainText('3 files with');
  await page.getByRole('button', { name: 'Import 3 files' }).click();
  await expect(page.getByText('3 imported')).toBeVisible();
  expect(await count('', '/scans')).toBe(3);
  // What arrives while the page is open shows by itself.
  await writeFile(join(INBOX, 'late.txt'), 'late');
  await expect(page.getByText('5 files in the inbox')).toBeVisible();
});

test('a manifest is matched, corrected, rehearsed and taken in', async () => {
  const manifest = await makeFile(
    'log.csv',
    'Where;What it shows;When\nscans/page-3.txt;The last page;1911-05-01\nnowhere.txt;;\n;;\n',
  );
  await page.goto(`${URL_OF_CONSOLE}/intake?way=manifest&folder=/`);
  await page.getByLabel('Manifest file').setInputFiles(manifest);
  await expect(page.getByText('no column contains the path or URL')).toBeVisible();
  await page.getByLabel('Path or address').selectOption('Where');
  await page.getByLabel('Caption').selectOption('What it shows');
  await page.getByLabel('Taken').selectOption('When');
  await expect(page.getByText('1 of 2 rows would be imported')).toBeVisible();
  await page.getByRole('button', { name: 'Import 1 row' }).click();
  await expect.poll(() => count('caption:"last page" captured:1911')).toBe(1);
  await page.getByRole('button', { name: /by manifest: log.csv/ }).click();
  await expect(page.getByText('Row 2 is skipped: there is no nowhere.txt in the inbox')).toBeVisible();
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'as a table (CSV)' }).click(),
  ]);
  expect(await readFile(await download.path(), 'utf8')).toContain('row 2,refused');
});

test('the filter line completes, finds, says what is wrong and offers what is meant', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library`);
  await page.keyboard.press('/');
  const line = page.getByRole('combobox', { name: 'Filter', exact: true });
  await line.pressSequentially('kin');
  await expect(page.getByRole('option', { name: /^kind:/ })).toBeVisible();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Tab');
  await line.pressSequentially('im');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(line).toHaveValue('kind:image ');
  await page.keyboard.press('Enter');
  const images = await count('kind:image');
  await expect(page.getByText(`${images} of ${images}`)).toBeVisible();
  await line.fill('knd:image');
  await page.keyboard.press('Enter');
  await line.blur();
  await expect(page.getByRole('alert')).toContainText('At character 1: unknown field "knd"');
  await page.getByRole('button', { name: 'kind:image' }).click();
  await expect(page.getByText(`${images} of ${images}`)).toBeVisible();
  await page.getByRole('button', { name: 'Save this filter' }).click();
  await page.getByLabel('Save as').fill('All pictures');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByRole('option', { name: 'All pictures' })).toHaveCount(1);
});

test('counts narrow the filter, and a brush over the months takes a span', async () => {
  const [asset] = (await api('/assets?q=kind:image&folder=/&deep=true&limit=1')).items;
  await api(`/assets/${asset.id}`, {
    method: 'PATCH',
    body: JSON.stringify({ capturedAt: '2026-03-10T12:00:00Z', keywords: ['beacon'] }),
  });
  await page.goto(`${URL_OF_CONSOLE}/library?counts=yes`);
  const counts = page.getByRole('region', { name: 'Facets of the results' });
  await counts.getByRole('button', { name: /^beacon/ }).click();
  await expect(page.getByRole('combobox', { name: 'Filter', exact: true })).toHaveValue('keyword:beacon');
  const months = counts.getByRole('img', { name: /Capture dates/ });
  const box = await months.boundingBox();
  if (!box) throw new Error('Expected months');
  await page.mouse.move(box.x + 1, box.y + 40);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width - 1, box.y + 40, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByRole('combobox', { name: 'Filter', exact: true })).toHaveValue(
    'keyword:beacon captured:2026-03',
  );
  await expect(page.getByText('1 of 1')).toBeVisible();
});

test('all that is found is chosen, edited together, and taken back', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/views?q=kind:image`);
  await expect(page.getByText('3 of 3')).toBeVisible();
  await page.getByLabel('Select view-0.jpg').check({ force: true });
  await expect(page.getByRole('region', { name: 'Selection' })).toContainText('1 asset selected');
  await page.getByRole('button', { name: 'Select all 3 results' }).click();
  await page.getByRole('button', { name: 'Edit, move' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Change: Alternative text').selectOption('fill');
  await dialog.getByLabel('Alternative text: value').fill('{words} of {folder}');
  await dialog.getByRole('button', { name: 'Rehearse' }).click();
  await expect(dialog.getByRole('status')).toContainText('3 would change');
  await expectAccessible(page, 'rehearsed edit');
  await expectLayerInPlace(page, 'rehearsed edit');
  await dialog.getByRole('button', { name: 'Apply 3 changes' }).click();
  await expect.poll(() => count('alt:"View of near"', '/views')).toBe(2);
  await page.goto(`${URL_OF_CONSOLE}/runs`);
  await page
    .getByRole('button', { name: /^Undo: Editing 3 assets/ })
    .first()
    .click();
  await expect.poll(() => count('alt:any', '/views')).toBe(0);
});

test('pictures are dragged onto a folder, and the old address leads there', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/views?deep=no`);
  const picture = page.getByRole('button', { name: 'view-0.jpg', exact: true });
  const target = page.getByRole('list', { name: 'Subfolders' }).getByRole('button', { name: /^near/ });
  await drag(page, picture, target, /^Over \/views\/near\.$/);
  await expect.poll(() => count('', '/views/near')).toBe(3);
  const old = await page.request.get(`${URL_OF_CONSOLE}/media/views/view-0.jpg`, { maxRedirects: 0 });
  expect(old.status()).toBe(308);
});

test('a folder is dragged onto a folder beside it', async () => {
  for (const path of ['/heads', '/heads/east', '/heads/west'])
    await api('/folders', { method: 'POST', body: JSON.stringify({ path }) });
  await page.goto(`${URL_OF_CONSOLE}/library/heads`);
  const below = page.getByRole('list', { name: 'Subfolders' });
  await drag(
    page,
    below.getByRole('button', { name: /^east/ }),
    below.getByRole('button', { name: /^west/ }),
    /^Over \/heads\/west\.$/,
  );
  await expect(below.getByRole('button', { name: /^east/ })).toHaveCount(0);
  await expect(below.getByRole('button', { name: /^west/ })).toBeVisible();
  await below.getByRole('button', { name: /^west/ }).click();
  await expect(below.getByRole('button', { name: /^east/ })).toBeVisible();
});

test('a file is replaced at its address, compared with the one before, and brought back', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/views/near?sort=name`);
  await page.getByRole('button', { name: 'view-1.jpg', exact: true }).click();
  const [other] = await makePictures(1, 'other');
  const larger = await sharp(other).resize(640, 480).jpeg().toBuffer();
  await page.getByRole('button', { name: 'Replace the file at the same address' }).click();
  await page.getByLabel('New file for view-1.jpg').setInputFiles(await makeFile('new.jpg', larger));
  await page.getByRole('dialog').getByRole('button', { name: 'Replace', exact: true }).click();
  await page.getByRole('button', { name: /Compare with/ }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('img')).toHaveCount(2);
  await dialog.getByRole('button', { name: 'Overlay' }).click();
  await dialog.getByLabel('How much of the earlier version is shown').fill('20');
  await dialog.getByRole('button', { name: 'Restore version 1' }).click();
  await expect
    .poll(async () => (await api('/assets?q="view-1"&folder=/views&deep=true')).items[0].version)
    .toBe(3);
});

test('what is binned is listed, restored, and gone when the bin is emptied', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/scans?sort=name`);
  await expect(page.getByText('3 of 3')).toBeVisible();
  await page.keyboard.press('a');
  await page.getByRole('button', { name: 'Move to bin', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Move to bin' }).click();
  // Leaving the page before the server has answered would take the request back.
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.goto(`${URL_OF_CONSOLE}/bin`);
  await expect(page.getByText('3 of 3')).toBeVisible();
  await page
    .getByRole('listitem')
    .filter({ hasText: 'page-0.txt' })
    .getByRole('button', { name: 'Restore' })
    .click();
  await expect(page.getByText('2 of 2')).toBeVisible();
  await page.getByRole('button', { name: 'Empty bin' }).click();
  await page.getByRole('button', { name: 'Empty bin permanently' }).click();
  await expect(page.getByText('The bin is empty')).toBeVisible();
  expect(await count('', '/scans')).toBe(1);
});

test('the same bytes twice are grouped, and the oldest is kept', async () => {
  const [picture] = await makePictures(1, 'twin');
  for (const name of ['twin-a.jpg', 'twin-b.jpg']) {
    const body = new FormData();
    body.append('folder', '/twins');
    body.append('file', new Blob([new Uint8Array(await readFile(picture ?? ''))]), name);
    await fetch(`${URL_OF_CONSOLE}/api/v1/assets`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${KEY}` },
      body,
    });
  }
  await page.goto(`${URL_OF_CONSOLE}/duplicates`);
  const group = page.getByRole('region', { name: 'Group of twin-a.jpg' });
  await group.getByRole('button', { name: 'Keep the oldest, bin 1 other' }).click();
  await expect(group).toHaveCount(0);
  expect(await count('', '/twins')).toBe(1);
});

test('rules are rehearsed with what they would put outside', async () => {
  await page.goto(`${URL_OF_CONSOLE}/library/views`);
  await page.getByRole('button', { name: 'Rules' }).click();
  await page.getByLabel('Minimum width, px').fill('5000');
  await page.getByRole('dialog').getByRole('button', { name: 'Rehearse' }).click();
  await expect(page.getByRole('region', { name: 'What would break the rules' })).toContainText(
    '3 of 3 existing files would break the rules',
  );
  await page.keyboard.press('Escape');
});

test.describe('as code', () => {
  for (const form of FORMS) {
    test(`${form}: what the page shows does what the page says`, async () => {
      const word = form.replaceAll(' ', '-').toLowerCase();
      // One asset.
      await page.goto(`${URL_OF_CONSOLE}/library/twins`);
      await page.getByRole('button', { name: 'twin-a.jpg', exact: true }).click();
      await page.getByRole('button', { name: 'Edit texts, name and folder' }).click();
      const dialog = page.getByRole('dialog');
      await dialog.getByLabel('Title').fill(`It's by ${word}; "quoted"`);
      await dialog.getByLabel('Keywords').fill(`${word}, code`);
      await runCode(form, await readCode(page, dialog, form));
      expect(await count(`keyword:${word} title:"by ${word}"`)).toBe(1);
      await page.keyboard.press('Escape');
      // Everything that a filter finds.
      await page.goto(`${URL_OF_CONSOLE}/library/views?q=kind:image`);
      await expect(page.getByText('3 of 3')).toBeVisible();
      await page.keyboard.press('a');
      await page.getByRole('button', { name: 'Edit, move' }).click();
      await dialog.getByLabel('Change: Credit').selectOption('set');
      await dialog.getByLabel('Credit: value').fill(`Trust ${word}`);
      await runCode(form, await readCode(page, dialog, form));
      await expect.poll(() => count(`credit:"Trust ${word}"`)).toBe(3);
      await page.keyboard.press('Escape');
      // A folder.
      await page.goto(`${URL_OF_CONSOLE}/library/twins`);
      await page.getByRole('button', { name: 'New folder' }).click();
      await dialog.getByLabel('Name').fill(word);
      await runCode(form, await readCode(page, dialog, form));
      expect((await api(`/folders?within=/twins/${word}`)).total).toBe(1);
      await page.keyboard.press('Escape');
      // Its rules.
      await page.goto(`${URL_OF_CONSOLE}/library/twins/${word}`);
      await page.getByRole('button', { name: 'Rules' }).click();
      await dialog.getByLabel('Denied types').fill('gif');
      await runCode(form, await readCode(page, dialog, form));
      const folder = (await api(`/folders?within=/twins/${word}`)).items[0];
      expect((await api(`/folders/${folder.id}/rules`)).own.deny).toEqual(['gif']);
      await page.keyboard.press('Escape');
      // The inbox, and the whole of it.
      await writeFile(join(INBOX, `${word}.txt`), `for ${word}`);
      await page.goto(`${URL_OF_CONSOLE}/intake?way=inbox&folder=/`);
      await expect(page.getByRole('cell', { name: `${word}.txt`, exact: true })).toBeVisible();
      await runCode(form, await readCode(page, page.getByRole('tabpanel'), form));
      await expect.poll(() => count(`"${word}" kind:document`)).toBe(1);
      // Which fields fill which texts.
      await page.getByRole('button', { name: 'Metadata mapping' }).click();
      await dialog.getByRole('button', { name: 'Remove xmp:altText' }).click();
      await runCode(form, await readCode(page, dialog, form));
      const mapping = await api('/settings/metadata');
      expect(mapping.alt).toEqual([]);
      await api('/settings/metadata', {
        method: 'PUT',
        body: JSON.stringify({ ...mapping, alt: ['xmp:altText'] }),
      });
      await page.keyboard.press('Escape');
    });
  }
});
