// @ts-check
// Takes the screenshots in docs/screenshots/ from the running demo: `node tools/screenshots.mjs [folder] [name …]`.
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { CHROMIUM } from './chromium.mjs';
import { ROOT, VAR } from './prepare.mjs';

const [folder = join(ROOT, 'docs/screenshots'), ...only] = process.argv.slice(2);
const { url, email, password, key, site } = JSON.parse(readFileSync(join(VAR, 'demo-access.json'), 'utf8'));
mkdirSync(folder, { recursive: true });

const browser = await chromium.launch(CHROMIUM);
const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, colorScheme: 'light' });

/** Taken only if named: docs/ contains the main views. */
const ON_DEMAND = new Set([
  'as-code',
  'bin',
  'library-table',
  'versions',
  'metadata',
  'films',
  'recipe-editor-tones',
  'recipe-output',
  'recipe-new',
  'recipe-json',
  'rebuild',
  'matrix-failed',
  'originals',
  'papers',
  'duplicates',
  'surplus',
  'workers',
  'intake-manifest',
  'pages-sources',
  'library-filter',
  'page-preview',
  'page-types',
  'page-type',
  'site-picker',
]);

/** @param {string} name @param {string} path @param {(() => Promise<unknown>) | null} [act] */
async function take(name, path, act = null) {
  if (only.length > 0 ? !only.includes(name) : ON_DEMAND.has(name)) return;
  await page.goto(path.startsWith('http') ? path : url + path, { waitUntil: 'load' });
  if (act) await act();
  await page.waitForFunction(() =>
    [...document.images].every((image) => {
      const { left, top, width, height } = image.getBoundingClientRect();
      const seen = document.elementFromPoint(left + width / 2, top + height / 2);
      return image.complete || seen === null || !(seen === image || seen.contains(image));
    }),
  );
  await page.waitForTimeout(1500);
  await page.screenshot({ path: join(folder, `${name}.png`) });
}

const listed = await fetch(`${url}/api/v1/assets?folder=/lights/gannet-head&sort=name&limit=1`, {
  headers: { Authorization: `Bearer ${key}` },
});
const asset = (await listed.json()).items[0].id;
const replaced = await fetch(`${url}/api/v1/assets?folder=/lights/gannet-head&q=day`, {
  headers: { Authorization: `Bearer ${key}` },
});
const edited = (await replaced.json()).items.find(
  (/** @type {{ version: number }} */ { version }) => version > 1,
)?.id;
const MANIFEST =
  'Path;Alt text;Caption;Date taken;Tags\nscans/gannet-head-1900.jpg;Gannet Head from the sea;An old view;1908-06-01;scan, sea\nscans/whin-ness-1928.jpg;Whin Ness;;1900-05-01;scan\nscans/selk-island-1936.jpg;Selk Island;;31.05.1912;scan\n;;;;\n';

await page.goto(url);
await page.getByLabel('Email').fill(email);
await page.getByLabel('Password').fill(password);
await page.getByRole('button', { name: 'Sign in' }).click();
await page.getByRole('heading', { name: 'Flow' }).waitFor();

await take('flow', '/');
await take('intake', '/intake?folder=/news', () =>
  page
    .getByRole('button', { name: /\/news/ })
    .first()
    .click(),
);
await take('intake-inbox', '/intake?folder=/lights&way=inbox');
await take('intake-manifest', '/intake?folder=/lights&way=manifest', async () => {
  await page
    .getByLabel('Manifest file')
    .setInputFiles({ name: 'views.csv', mimeType: 'text/csv', buffer: Buffer.from(MANIFEST) });
  await page.getByText('rows would be imported').waitFor();
});
await take('library-filter', '/library?q=kind:image%20(dusk%20or%20storm)&counts=yes', () =>
  page.getByRole('combobox', { name: 'Filter', exact: true }).press('End'),
);
await take('bulk-edit', '/library/lights?q=kind:image', async () => {
  await page
    .getByRole('button', { name: /gannet|corbel|maiden|selk|whin/ })
    .first()
    .waitFor();
  await page.keyboard.press('a');
  await page.getByRole('button', { name: 'Edit, move' }).click();
  await page.getByLabel('Change: Alternative text').selectOption('fill');
  await page.getByLabel('Alternative text: value').fill('{words}, {year}');
  await page.getByRole('button', { name: 'Rehearse' }).click();
  await page.getByText(/would change/).waitFor();
});
await take('duplicates', '/duplicates?by=look&distance=8');
await take('versions', `/library/lights/gannet-head?asset=${edited}`, async () => {
  await page.getByRole('button', { name: /Compare with/ }).click();
  await page.getByRole('button', { name: 'Overlay' }).click();
});
await take('bin', '/bin');
await take('films', '/library/films');
await take('metadata', '/intake', () => page.getByRole('button', { name: 'Metadata mapping' }).click());
await take('library-sheet', '/library/lights');
await take('library-line', `/library/lights/gannet-head?asset=${asset}`);
await take('library-table', `/library?as=table`);
await take('rules', '/library/news', () => page.getByRole('button', { name: 'Rules' }).click());
await take('recipes', '/recipes');
await take('recipe-editor', '/recipes/sealed', async () => {
  await page.getByRole('button', { name: /Watermark/ }).click();
  await page.getByText(/^made in/).waitFor();
});
await take('recipe-editor-tones', '/recipes/panorama', async () => {
  await page.getByRole('button', { name: 'Add a step' }).click();
  await page.getByRole('menuitem', { name: 'Sepia' }).click();
  await page.getByText(/^made in/).waitFor();
});
await take('recipe-output', '/recipes/wide', () => page.getByRole('button', { name: /^Output/ }).click());
await take('recipe-new', '/recipes/new', () => page.getByRole('button', { name: 'Add a step' }).click());
await take('recipe-json', '/recipes/wide', () => page.getByRole('button', { name: 'As JSON' }).click());
await take('rebuild', '/recipes', () => page.getByRole('button', { name: 'Rehearse a rebuild' }).click());
await take('matrix', '/recipes/matrix?state=outdated', () =>
  page
    .getByRole('button', { name: /panorama: outdated/ })
    .first()
    .click(),
);
await take('matrix-failed', '/recipes/matrix?state=failed', () =>
  page
    .getByRole('button', { name: /second: failed/ })
    .first()
    .click(),
);
await take('surplus', '/recipes/surplus');
await take('originals', '/recipes/originals');
await take('workers', '/runs/workers');
await take('papers', '/library/chart-room');
await take('runs', '/runs');
await take('pages', '/pages');
const written = await fetch(`${url}/api/v1/pages?q=/lights/gannet-head`, {
  headers: { Authorization: `Bearer ${key}` },
});
const lightPage = (await written.json()).items[0]?.id;
await take('page-editor', `/pages/edit/${lightPage}`);
await take('page-picker', `/pages/edit/${lightPage}`, () =>
  page.getByRole('button', { name: 'Media' }).click(),
);
await take('page-preview', `/pages/edit/${lightPage}`, () =>
  page.getByRole('button', { name: 'Preview' }).click(),
);
await take('page-types', '/pages/types');
await take('page-type', '/pages/types', () => page.getByRole('button', { name: 'Edit Lighthouse' }).click());
await take('pages-sources', '/pages/sources');
await take('connections', '/connections', async () => {
  for (const button of await page.getByRole('button', { name: /^Test / }).all()) {
    await button.click();
    await page.getByText('It was deleted.').first().waitFor();
  }
});
await take('stores', '/connections/stores');
await take('copies', `/library/lights/gannet-head?asset=${asset}`, () =>
  page.getByRole('button', { name: 'Copies …' }).click(),
);
await take('placement', '/library/news', () =>
  page.getByRole('button', { name: 'Where its files are stored' }).click(),
);
await take('pages-broken', '/pages/broken');
await take('automate', '/automate');
await take('as-code', '/library/lights/gannet-head', async () => {
  await page.getByRole('button', { name: 'New folder' }).click();
  await page.getByRole('button', { name: 'as code' }).click();
});
await take('library-dark', '/library/lights/whin-ness', () =>
  page.getByRole('button', { name: 'Dark colours' }).click(),
);
await take('site-picker', `${site}/editor`, async () => {
  await page.getByRole('button', { name: 'Add a picture' }).click();
  const frame = page.frameLocator('iframe[title="Choose media"]');
  await frame
    .getByRole('button', { name: /^Choose .*dusk/ })
    .first()
    .click();
  await frame.getByLabel('Rendition').selectOption('wide');
});
await take('demo-site', `${site}/lights/gannet-head`);
await browser.close();
