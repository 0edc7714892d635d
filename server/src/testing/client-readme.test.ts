import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { rm, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { createEngine } from '../worker.js';
import { startTestServer, type TestServer } from './harness.js';

const CLIENT = fileURLToPath(new URL('../../../client/', import.meta.url));
const EXAMPLES = [...readFileSync(`${CLIENT}README.md`, 'utf8').matchAll(/```js\n([\s\S]*?)```/g)].map(
  ([, code], index) => [index + 1, code ?? ''] as const,
);

let server: TestServer;
let engine: ReturnType<typeof createEngine>;
beforeAll(async () => {
  server = await startTestServer();
  engine = createEngine(server.services, server.house);
  await engine.start();
});
afterAll(async () => {
  await engine.close();
  await server.close();
});

test.each(EXAMPLES)("example %d of the client's README runs as it stands", async (n, code) => {
  const script = `${CLIENT}.readme-${process.pid}-${n}.mjs`;
  await writeFile(script, code);
  try {
    const env = { ...process.env, UNIFERUM_URL: server.url, UNIFERUM_KEY: await server.key() };
    const { stdout } = await promisify(execFile)(process.execPath, [script], { env });
    expect(stdout.trim()).not.toBe('');
    expect(stdout).not.toContain('undefined');
  } finally {
    await rm(script);
  }
});

test('there is an example for every way in', () => {
  const all = EXAMPLES.map(([, code]) => code).join('\n');
  for (const call of [
    'assets.upload(',
    'uploadResumably(',
    'assets.fetch(',
    'intakes.manifest(',
    'inbox.list(',
  ])
    expect(all).toContain(call);
});
