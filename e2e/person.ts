import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, type Page } from '@playwright/test';
import sharp from 'sharp';

export const URL_OF_CONSOLE = process.env.E2E_URL ?? '';
export const URL_OF_SITE = process.env.E2E_SITE ?? '';
export const KEY = process.env.E2E_KEY ?? '';

export const INBOX = process.env.E2E_INBOX ?? '';

export async function signIn(page: Page): Promise<void> {
  await page.goto(URL_OF_CONSOLE);
  await page.getByLabel('Address').fill('keeper@skerry.example');
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
