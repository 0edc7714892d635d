import { type ChildProcess, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtemp, rm } from 'node:fs/promises';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, type Page, test } from '@playwright/test';
import { build } from 'vite';
import { KEY, makePictures, URL_OF_CONSOLE } from './person.js';

// The pages of the examples, on a site of another origin, with a token and without a key.

const ROOT = fileURLToPath(new URL('..', import.meta.url));
let built: string;
const sites: ChildProcess[] = [];

test.beforeAll(async () => {
  built = await mkdtemp(join(tmpdir(), 'uniferum-react-page-'));
  await build({
    configFile: false,
    root: join(ROOT, 'examples/react-page'),
    logLevel: 'error',
    build: { outDir: built, emptyOutDir: true },
  });
  await call('POST', '/folders', { path: '/letters' });
});
test.afterAll(async () => {
  for (const site of sites) {
    site.kill();
    await once(site, 'exit');
  }
  await rm(built, { recursive: true, force: true });
});

async function call(method: string, path: string, json?: unknown) {
  const headers = { Authorization: `Bearer ${KEY}`, 'Content-Type': 'application/json' };
  const answer = await fetch(`${URL_OF_CONSOLE}/api/v1${path}`, {
    method,
    headers,
    ...(json !== undefined && { body: JSON.stringify(json) }),
  });
  return answer.json();
}

async function startSite(pages: string): Promise<string> {
  const probe = createServer().listen(0, '127.0.0.1');
  await once(probe, 'listening');
  const { port } = probe.address() as { port: number };
  probe.close();
  await once(probe, 'close');
  const site = spawn(process.execPath, ['examples/site/server.mjs', pages, '/letters'], {
    cwd: ROOT,
    env: { ...process.env, UNIFERUM_URL: URL_OF_CONSOLE, UNIFERUM_KEY: KEY, PORT: String(port) },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  sites.push(site);
  const [said] = await once(site.stdout, 'data');
  return String(said).trim();
}

async function seesNoKey(page: Page): Promise<void> {
  page.on('response', async (response) => {
    const text = await response.text().catch(() => '');
    expect(text).not.toContain(KEY);
  });
}

test('a plain page uploads a picture, and says what is wrong with another file', async ({ page }) => {
  await seesNoKey(page);
  await page.goto(await startSite('examples/plain-page'));
  const [picture = ''] = await makePictures(1, 'letter');
  await page.getByLabel('Picture').setInputFiles(picture);
  await page.getByLabel('What does it show?').fill('The light at dusk');
  await page.getByRole('button', { name: 'Send' }).click();
  await expect(page.getByRole('status')).toHaveText('Thank you. letter-01.jpg has arrived.');
  const { items } = await call('GET', '/assets?folder=/letters&name=letter-01.jpg');
  expect(items[0].alt).toBe('The light at dusk');
  await page
    .getByLabel('Picture')
    .setInputFiles({ name: 'note.txt', mimeType: 'text/plain', buffer: Buffer.from('no picture') });
  await page.getByRole('button', { name: 'Send' }).click();
  await expect(page.getByRole('status')).toContainText('note.txt');
});

test('a React page takes one, up to five, or many, shows how far each is, and stops one', async ({
  page,
}) => {
  await page.goto(await startSite(built));
  const pictures = await makePictures(7, 'archive');
  const one = page.getByRole('region', { name: 'One picture' });
  await one.locator('input').setInputFiles(pictures[0] ?? '');
  await expect(one.getByText('archive-01.jpg: arrived')).toBeVisible();
  await expect(one.locator('input')).toBeDisabled();

  const few = page.getByRole('region', { name: 'Up to five' });
  await few.locator('input').setInputFiles(pictures.slice(1));
  await expect(few.getByText(': arrived')).toHaveCount(5);
  await expect(few.getByRole('listitem')).toHaveCount(5);

  const many = page.getByRole('region', { name: 'As many as you like' });
  // Held until it was stopped.
  await page.route('**/api/v1/assets', async (route) => {
    const isHeld = (route.request().postDataBuffer()?.indexOf('held.jpg') ?? -1) >= 0;
    if (!isHeld) await route.continue();
  });
  const held = { name: 'held.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('not sent') };
  await many.locator('input').setInputFiles([held]);
  await many.locator('input').setInputFiles(pictures.slice(6));
  await expect(many.getByText('archive-07.jpg: arrived')).toBeVisible();
  await many.getByRole('button', { name: 'Stop held.jpg' }).click();
  await expect(many.getByText('held.jpg: stopped')).toBeVisible();
  expect((await call('GET', '/assets?folder=/letters&name=held.jpg')).total).toBe(0);
});
