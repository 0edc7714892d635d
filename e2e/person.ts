import { openAsBlob } from 'node:fs';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { expect, type Locator, type Page } from '@playwright/test';
import sharp from 'sharp';

export const URL_OF_CONSOLE = process.env.E2E_URL ?? '';
export const URL_OF_SITE = process.env.E2E_SITE ?? '';
export const KEY = process.env.E2E_KEY ?? '';

export const INBOX = process.env.E2E_INBOX ?? '';

export async function signIn(page: Page): Promise<void> {
  await page.goto(URL_OF_CONSOLE);
  await page.getByLabel('Email').fill('keeper@skerry.example');
  await page.getByLabel('Password').fill('a lamp in the fog');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Flow', level: 1 })).toBeVisible();
}

/** Pictures as a person has them on the disk, each of another colour. */
export async function makePictures(count: number, name = 'picture'): Promise<string[]> {
  const folder = await mkdtemp(join(tmpdir(), 'uniferum-e2e-'));
  return Promise.all(
    Array.from({ length: count }, async (_, n) => {
      const file = join(folder, `${name}-${String(n + 1).padStart(2, '0')}.jpg`);
      const colour = { r: (n * 53) % 255, g: (n * 97) % 255, b: (n * 29) % 255 };
      await sharp({
        create: {
          width: 1200,
          height: n % 3 === 0 ? 1600 : 800,
          channels: 3,
          background: colour,
          noise: { type: 'gaussian', mean: 120, sigma: 20 },
        },
      })
        .jpeg()
        .toFile(file);
      return file;
    }),
  );
}

export async function makeFile(name: string, content: Buffer | string): Promise<string> {
  const file = join(await mkdtemp(join(tmpdir(), 'uniferum-e2e-')), name);
  await writeFile(file, content);
  return file;
}

/** Uploads files by the API, to have something to look at. */
export async function send(folder: string, files: readonly string[]): Promise<void> {
  for (const file of files) {
    const form = new FormData();
    form.append('folder', folder);
    form.append('file', await openAsBlob(file), basename(file));
    const headers = { Authorization: `Bearer ${KEY}` };
    const response = await fetch(`${URL_OF_CONSOLE}/api/v1/assets`, { method: 'POST', headers, body: form });
    if (!response.ok) throw new Error(`${file}: ${response.status} ${await response.text()}`);
  }
}

/** Chooses a folder as a person does: by typing a part of its path. */
export async function chooseFolder(page: Page, picker: Locator, path: string): Promise<void> {
  await picker.click();
  await page.getByPlaceholder(/^Search/).fill(path);
  await page.getByRole('option', { name: path, exact: true }).click();
  await expect(picker).toContainText(path);
}

/**
 * Checks what is on the page in light colours, and its contrasts in dark ones as well.
 *
 * @param part of the page; all of it unless given
 */
export async function expectAccessible(page: Page, name: string, part?: string): Promise<void> {
  await page.waitForLoadState('networkidle').catch(() => {});
  const faults = [];
  for (const theme of ['dark', 'light'] as const) {
    await showIn(page, theme);
    // Without frames there is nothing to gather from them on a page of its own.
    const axe = new AxeBuilder({ page }).setLegacyMode();
    if (part) axe.include(part);
    if (theme === 'dark') axe.withRules('color-contrast');
    else axe.withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']);
    const { violations } = await axe.analyze();
    const serious = violations.filter(({ impact }) => impact === 'serious' || impact === 'critical');
    for (const { id, nodes } of serious)
      faults.push(`${name} ${theme} ${id}: ${nodes.map(({ html }) => html.slice(0, 160)).join(' | ')}`);
  }
  expect(faults).toEqual([]);
}

/** Shows the page in other colours, whatever is open on it. */
async function showIn(page: Page, theme: 'light' | 'dark'): Promise<void> {
  await page.evaluate(async (chosen) => {
    document.documentElement.dataset.theme = chosen;
    const transitions = document.getAnimations().filter((one) => one instanceof CSSTransition);
    await Promise.all(transitions.map((one) => one.finished.catch(() => {})));
  }, theme);
}

/**
 * Drags one thing onto another with the mouse, as a person does who lets go only once it is seen to be over it.
 *
 * @param over what is announced then
 */
export async function drag(page: Page, what: Locator, onto: Locator, over: RegExp): Promise<void> {
  // Waits until it lies still: what is loaded later moves it.
  await what.hover();
  await page.mouse.down();
  await expect(async () => {
    const box = await onto.boundingBox();
    if (!box) throw new Error('Expected the end of the drag to be on the page');
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    await page.mouse.move(x - 12, y - 4, { steps: 8 });
    await page.mouse.move(x, y, { steps: 3 });
    await expect(page.getByText(over)).toBeAttached({ timeout: 700 });
  }).toPass();
  await page.mouse.up();
}

/** Moves what has the focus to another position, as a person does who listens to what is announced. */
export async function moveByKeyboard(
  page: Page,
  { key, from, to, of }: { key: string; from: number; to: number; of: number },
): Promise<void> {
  await page.keyboard.press('Space');
  await expect(page.getByText(`Position ${from} of ${of}.`)).toBeAttached();
  // A key that is pressed while the items are still being measured moves nothing: a person presses it again.
  await expect(async () => {
    await page.keyboard.press(key);
    await expect(page.getByText(`Position ${to} of ${of}.`)).toBeAttached({ timeout: 700 });
  }).toPass();
  await page.keyboard.press('Space');
}
