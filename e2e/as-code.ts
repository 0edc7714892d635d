import { execFile } from 'node:child_process';
import { rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import type { Locator, Page } from '@playwright/test';
import { KEY, URL_OF_CONSOLE } from './person.js';

const ROOT = fileURLToPath(new URL('..', import.meta.url));

/** The forms in which an action shows itself. */
export const FORMS = ['JavaScript client', 'HTTP request', 'Command line'] as const;
export type Form = (typeof FORMS)[number];

/** Reads an action's code from the page, as a person would copy it. */
export async function readCode(page: Page, place: Locator, form: Form): Promise<string> {
  await place.getByRole('button', { name: 'as code' }).click();
  await page.getByRole('tab', { name: form }).click();
  const text = await page.getByRole('tabpanel').locator('pre').textContent();
  await page.keyboard.press('Escape');
  return text ?? '';
}

/** Carries out code that was copied from the page. @returns what it wrote */
export async function runCode(form: Form, text: string): Promise<string> {
  if (form === 'HTTP request') return sendRequest(text);
  const env = { ...process.env, UNIFERUM_URL: URL_OF_CONSOLE, UNIFERUM_KEY: KEY };
  if (form === 'Command line') {
    const path = `${join(ROOT, 'node_modules/.bin')}:${process.env.PATH}`;
    return (await promisify(execFile)('sh', ['-c', text], { env: { ...env, PATH: path } })).stdout;
  }
  const script = join(ROOT, 'client', `.as-code-${process.pid}-${Date.now()}.mjs`);
  await writeFile(script, text);
  try {
    return (await promisify(execFile)(process.execPath, [script], { env })).stdout;
  } finally {
    await rm(script);
  }
}

async function sendRequest(text: string): Promise<string> {
  const [head = '', ...rest] = text.split('\n\n');
  const [line = '', ...headers] = head.split('\n');
  const [method, path] = line.split(' ');
  const response = await fetch(URL_OF_CONSOLE + path, {
    method: method ?? 'GET',
    headers: Object.fromEntries(
      headers
        .filter((header) => !header.startsWith('Host:'))
        .map((header) => {
          const at = header.indexOf(':');
          return [
            header.slice(0, at),
            header
              .slice(at + 1)
              .trim()
              .replace('YOUR_KEY', KEY),
          ];
        }),
    ),
    ...(rest.length > 0 && { body: rest.join('\n\n') }),
  });
  const answer = await response.text();
  if (!response.ok) throw new Error(`${line}: ${response.status} ${answer}`);
  return answer;
}
