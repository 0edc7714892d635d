import { readFile } from 'node:fs/promises';
import { expect, type Page, test } from '@playwright/test';
import sharp from 'sharp';
import { FORMS, readCode, runCode } from './as-code.js';
import { expectLayerInPlace } from './boxes.js';
import {
  chooseFolder,
  drag,
  expectAccessible,
  KEY,
  makeFile,
  moveByKeyboard,
  signIn,
  URL_OF_CONSOLE,
} from './person.js';

test.describe.configure({ mode: 'serial' });

let page: Page;
test.beforeAll(async ({ browser }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, acceptDownloads: true });
  page = await context.newPage();
  for (const name of ['one', 'two', 'three']) await send(`${name}.jpg`, await view(name.length * 40));
  await send('flat.png', await flat('#c8643c'));
  await signIn(page);
});
test.afterAll(() => page.context().close());

// biome-ignore lint/suspicious/noExplicitAny: answers are looked into freely
async function api(path: string, init: RequestInit = {}): Promise<any> {
  const response = await fetch(`${URL_OF_CONSOLE}/api/v1${path}`, {
    ...init,
    headers: {
      Authorization: `Bearer ${KEY}`,
      ...(typeof init.body === 'string' && { 'Content-Type': 'application/json' }),
    },
  });
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  return response.status === 204 ? null : response.json();
}

async function send(name: string, data: Buffer): Promise<void> {
  const body = new FormData();
  body.append('folder', '/tried');
  body.append('file', new Blob([data as BlobPart]), name);
  await api('/assets', { method: 'POST', body });
}

async function view(hue: number): Promise<Buffer> {
  const drawing = `<svg xmlns="http://www.w3.org/2000/svg" width="1500" height="1000"><rect width="1500" height="1000" fill="hsl(${hue},60%,50%)"/><circle cx="1100" cy="400" r="180" fill="#f4e3c0"/></svg>`;
  return sharp(Buffer.from(drawing)).jpeg({ quality: 85, optimiseCoding: false }).toBuffer();
}

function flat(colour: string): Promise<Buffer> {
  return sharp({ create: { width: 64, height: 64, channels: 3, background: colour } })
    .png()
    .toBuffer();
}

const cards = () =>
  page.getByRole('group', { name: 'The chain of steps' }).getByRole('button', { pressed: undefined });
const card = (name: RegExp) => cards().filter({ hasText: name }).first();
const figures = () => page.locator('dl');

async function addStep(name: string): Promise<void> {
  await page.getByRole('button', { name: 'Add a step' }).click();
  await page.getByRole('menuitem', { name, exact: true }).click();
}

const chainOf = async (name: string): Promise<string[]> =>
  (await api(`/recipes/${name}`)).steps.map(({ op }: { op: string }) => op);

test("a chain is put together, tried on pictures of one's own, put in order by dragging, and saved", async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/new`);
  await page.getByRole('textbox', { name: 'Title' }).fill('Framed');
  await page.getByRole('textbox', { name: 'Name in addresses' }).fill('framed');
  await page.getByRole('textbox', { name: 'Find files to try it on' }).fill('two');
  await expect(page.getByRole('button', { name: 'Try it on two.jpg' })).toHaveAttribute(
    'aria-pressed',
    'true',
  );
  await expect(page.getByRole('button', { name: 'Try it on one.jpg' })).toHaveCount(0);
  await page.getByLabel('Width, px').fill('600');
  await expect(figures()).toContainText('600 × 400');
  await addStep('Border');
  await page.getByLabel('Width, px').fill('20');
  await expect(figures()).toContainText('640 × 440');
  await addStep('Sepia');
  await expect(page.getByText(/^made in \d+ ms$/)).toBeVisible();

  await drag(
    page,
    page.getByRole('button', { name: 'Move step 3' }),
    page.getByRole('button', { name: 'Move step 2' }),
    /^Position 2 of 3\.$/,
  );
  await expect(card(/2. Sepia/)).toBeVisible();
  await page.getByRole('button', { name: 'Move step 2' }).focus();
  await moveByKeyboard(page, { key: 'ArrowLeft', from: 2, to: 1, of: 3 });
  await expect(card(/1. Sepia/)).toBeVisible();

  await card(/Input/).click();
  await page.getByLabel('Folders, including subfolders').fill('/tried');
  await expect(page.getByText(/After saving: 4 files due/)).toBeVisible();
  await page.getByRole('button', { name: 'Save and rebuild' }).click();
  await expect(page.getByRole('row').filter({ hasText: 'Rebuild framed' })).toContainText('done');
  expect(await chainOf('framed')).toEqual(['sepia', 'fit', 'border']);
});

test('what is wrong is said at the step, and nothing is saved', async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/framed`);
  await card(/2. Fit/).click();
  await page.getByLabel('Width, px').fill('wide');
  await expect(page.getByText('Width is a whole number from 1 to 16384 px.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save recipe' })).toBeDisabled();
  await page.getByLabel('Width, px').fill('600');
  await addStep('Crop');
  await page.getByLabel('Aspect').fill('');
  await expect(page.getByText('Set an aspect ratio, or a width and a height.')).toBeVisible();
  await page.getByLabel('Width', { exact: true }).fill('9');
  await page.getByLabel('Height', { exact: true }).fill('9');
  await page.getByLabel('Left', { exact: true }).fill('5000');
  await page.getByLabel('Top', { exact: true }).fill('0');
  await expect(page.getByRole('alert')).toContainText('The crop starts outside the picture');
  await expect(page.getByRole('group', { name: 'Settings' })).toContainText('The crop starts outside');
  await page.getByRole('button', { name: 'Remove the step' }).click();
  await expect(page.getByRole('alert')).toHaveCount(0);
});

test('an edit says beforehand what it leaves outdated, and one press explains why a file is', async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/framed`);
  await card(/2. Fit/).click();
  await page.getByLabel('Width, px').fill('500');
  await expect(
    page.getByText(/After saving: 4 files outdated; about \d+ s to make; .* now, about .* afterwards\./),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Save recipe' }).click();
  await page.getByRole('link', { name: 'Files × recipes' }).click();
  await page.getByRole('radio', { name: /outdated/ }).click();
  await expect(page.getByText('4 of 4 files')).toBeVisible();
  await page.getByRole('button', { name: /^one.jpg by framed: outdated/ }).click();
  await expect(
    page.getByText(
      'It was created by revision 1 of the recipe; the current revision is 2 (step 2: width 600 → 500).',
    ),
  ).toBeVisible();
  await page.keyboard.press('Escape');
});

test("the recipe's earlier revision is taken again: its files are fresh without being made", async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/framed`);
  await page.getByRole('button', { name: 'Revisions' }).click();
  await page.getByRole('listitem').filter({ hasText: 'made' }).getByRole('button', { name: 'Load' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByText('After saving: 4 files fresh again.')).toBeVisible();
  await page.getByRole('button', { name: 'Save recipe' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'Framed' })).toContainText('4 fresh');
});

test('a recipe is written as JSON too', async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/framed`);
  await page.getByRole('button', { name: 'As JSON' }).click();
  const text = page.getByRole('textbox', { name: 'The recipe as JSON' });
  await text.fill((await text.inputValue()).replace('"quality": 80', '"quality": 71'));
  await page.getByRole('button', { name: 'As a chain' }).click();
  await expect(card(/Output/)).toContainText('quality 71');
  await page.getByRole('button', { name: 'As JSON' }).click();
  await text.fill('{ "steps": ');
  await expect(page.getByText(/This can't be read/)).toBeVisible();
});

// Source: W3C Filter Effects Module Level 1; the browser itself is the independent program.
test('tones are those that a browser makes of the same filter', async () => {
  const { items } = await api('/assets?folder=/tried&q=flat');
  for (const [steps, filter] of [
    [[{ op: 'greyscale' }], 'grayscale(1)'],
    [[{ op: 'greyscale', amount: 0.4 }], 'grayscale(0.4)'],
    [[{ op: 'sepia', amount: 0.7 }], 'sepia(0.7)'],
    [[{ op: 'saturation', amount: 1.8 }], 'saturate(1.8)'],
    [[{ op: 'brightness', amount: 1.2 }], 'brightness(1.2)'],
    [[{ op: 'contrast', amount: 0.6 }], 'contrast(0.6)'],
  ] as const) {
    const body = JSON.stringify({ asset: items[0].id, steps, output: { format: 'png' } });
    const { data } = await api('/recipes/preview', { method: 'POST', body });
    const pixels = await sharp(Buffer.from(data.split(',')[1], 'base64'))
      .removeAlpha()
      .raw()
      .toBuffer();
    const theirs = await page.evaluate((css) => {
      const context = document.createElement('canvas').getContext('2d');
      if (!context) throw new Error('Expected a canvas, got none');
      context.filter = css;
      context.fillStyle = '#c8643c';
      context.fillRect(0, 0, 50, 50);
      return [...context.getImageData(20, 20, 1, 1).data].slice(0, 3);
    }, filter);
    for (const [index, value] of theirs.entries())
      expect(Math.abs((pixels[index] ?? 0) - value), `${filter} ${index}`).toBeLessThanOrEqual(1);
  }
});

test('recipes are exported, and imported after a rehearsal', async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes`);
  const saving = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Export' }).click();
  const text = await readFile(await (await saving).path(), 'utf8');
  const document = JSON.parse(text);
  const framed = document.recipes.find(({ name }: { name: string }) => name === 'framed');
  const other = {
    ...document,
    recipes: [
      { ...framed, name: 'imported', title: 'Imported' },
      { ...framed, output: { ...framed.output, quality: 60 } },
    ],
  };
  await page.getByRole('button', { name: 'Import' }).click();
  const dialog = page.getByRole('dialog');
  await dialog
    .getByLabel('Choose a file')
    .setInputFiles(await makeFile('recipes.json', JSON.stringify(other)));
  await dialog.getByRole('button', { name: 'Rehearse' }).click();
  await expect(dialog.getByRole('listitem').filter({ hasText: '~imported' })).toContainText(
    'would be created',
  );
  await expect(dialog.getByRole('listitem').filter({ hasText: '~framed' })).toContainText('quality 80 → 60');
  await expectAccessible(page, 'rehearsed import');
  await expectLayerInPlace(page, 'rehearsed import');
  await dialog.getByRole('button', { name: 'Import 2 recipes' }).click();
  await expect(page.getByRole('listitem').filter({ hasText: 'Imported' })).toContainText('4 due');
});

test('surplus is listed with its last request, removed after a rehearsal, and taken back', async () => {
  // The list of recipes shows a rendition of each as soon as it is made: that would be one more request.
  await page.goto(`${URL_OF_CONSOLE}/recipes/surplus`);
  await api('/recipes/rebuild', {
    method: 'POST',
    body: JSON.stringify({ recipes: ['imported'], only: 'missing' }),
  });
  await expect.poll(async () => (await api('/recipes/imported')).renditions.fresh).toBe(4);
  await api('/recipes/imported', { method: 'DELETE' });
  const address = `${URL_OF_CONSOLE}/media/tried/one~imported.jpg`;
  expect((await fetch(address)).status).toBe(200);
  await expect
    .poll(async () => {
      const { items } = await api('/renditions/surplus?recipe=imported');
      return items.find(({ url }: { url: string }) => url.endsWith('one~imported.jpg'))?.requests;
    })
    .toBe(1);
  await page.reload();
  await expect(page.getByRole('row').filter({ hasText: 'one~imported.jpg' })).toContainText('recipe deleted');
  await page.getByRole('row').filter({ hasText: 'one~imported.jpg' }).getByRole('checkbox').check();
  await page.getByRole('button', { name: 'Rehearse deleting 1 file' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('listitem')).toContainText('→ /media/tried/one~');
  await expectAccessible(page, 'rehearsed removal');
  await expectLayerInPlace(page, 'rehearsed removal');
  await dialog.getByRole('button', { name: 'Delete 1 file' }).click();
  const row = page.getByRole('row').filter({ hasText: 'Deleting 1 surplus' });
  await expect(row).toContainText('done');
  expect((await fetch(address, { redirect: 'manual' })).status).toBe(308);
  expect((await fetch(address)).status).toBe(200);
  await row.getByRole('button', { name: /^Undo/ }).click();
  await expect.poll(async () => (await fetch(address, { redirect: 'manual' })).status).toBe(200);
});

test('originals are made smaller, with a way back', async () => {
  await page.goto(`${URL_OF_CONSOLE}/recipes/originals`);
  await page.getByLabel('Filter').fill('folder:/tried type:jpg');
  await expect(page.getByRole('listitem').filter({ hasText: 'two.jpg' })).toBeVisible();
  await page.getByRole('button', { name: 'Optimise 3 originals' }).click();
  const row = page.getByRole('row').filter({ hasText: 'Optimising 3 originals' });
  await expect(row).toContainText('done');
  await expect(page.getByText(/% saved, not a pixel changed/).first()).toBeVisible();
  await page.goto(`${URL_OF_CONSOLE}/recipes/originals`);
  await expect(page.getByText(/3 originals optimised/)).toBeVisible();
  const { items } = await api('/assets?folder=/tried&q=two');
  expect((await api(`/assets/${items[0].id}/versions`)).items[0].optimisedFrom).toBe(1);
});

test("the workers' view says who works, what waits, and groups what failed", async () => {
  for (const hue of [200, 210]) {
    // Its header can be read, and its pixels can't.
    const broken = await sharp(await view(hue))
      .png()
      .toBuffer();
    broken[broken.length - 40] = (broken[broken.length - 40] ?? 0) ^ 0xff;
    await send(`broken-${hue}.png`, broken);
  }
  await page.goto(`${URL_OF_CONSOLE}/runs`);
  await page.getByRole('link', { name: 'Workers and failures' }).click();
  await expect(page.getByText(/^1 worker with \d+ slots?$/)).toBeVisible();
  await expect(
    page.getByRole('img', { name: /items done and \d+ failed in the last 60 minutes/ }),
  ).toBeVisible();
  const failures = page.getByRole('region', { name: 'Failures' });
  const group = failures.getByRole('listitem').filter({ hasText: "can't be decoded" });
  await expect(group).toContainText('2');
  await group.getByRole('button', { name: 'Retry these 2' }).click();
  await expect(group).toContainText('2');
  await expectAccessible(page, '/runs/workers');
});

for (const form of FORMS) {
  test(`${form}: a recipe, a rebuild and an optimising, as the page shows them`, async () => {
    const name = `coded-${form.split(' ')[0]?.toLowerCase()}`;
    await page.goto(`${URL_OF_CONSOLE}/recipes/new`);
    await page.getByRole('textbox', { name: 'Title' }).fill(`By ${form}`);
    await page.getByRole('textbox', { name: 'Name in addresses' }).fill(name);
    await addStep('Greyscale');
    await runCode(form, await readCode(page, page.locator('body'), form));
    expect(await chainOf(name)).toEqual(['fit', 'greyscale']);
    await page.goto(`${URL_OF_CONSOLE}/recipes`);
    await page.getByRole('button', { name: 'Rehearse a rebuild' }).click();
    const dialog = page.getByRole('dialog');
    await dialog.getByLabel('Recipe').selectOption(name);
    await chooseFolder(page, dialog.getByLabel('Folder, including subfolders'), '/tried');
    await runCode(form, await readCode(page, dialog, form));
    await page.goto(`${URL_OF_CONSOLE}/recipes/originals`);
    await runCode(form, await readCode(page, page.locator('body'), form));
  });
}
