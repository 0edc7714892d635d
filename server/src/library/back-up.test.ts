import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, inject, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';

const ROOT = fileURLToPath(new URL('../../../', import.meta.url));
const page = readFileSync(`${ROOT}docs/RELIABILITY.md`, 'utf8');

/** The commands as the page gives them. */
function commands(name: string): string {
  const text = new RegExp(`\`\`\`sh ${name}\\n([\\s\\S]*?)\`\`\``).exec(page)?.[1];
  if (text === undefined) throw new Error(`The page has no commands to ${name}.`);
  return text;
}

const run = (script: string, env: Record<string, string>) =>
  promisify(execFile)('sh', ['-eu', '-c', script], { cwd: ROOT, env: { ...process.env, ...env } });

let folder: string;
let server: TestServer;
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'uniferum-back-up-'));
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
  await rm(folder, { recursive: true, force: true });
});

/** What somebody would look at: every asset with all that is told of it, and its bytes. */
async function everythingOf(installation: TestServer, key: string) {
  const { body } = await installation.call('GET', `${api}/assets?folder=/&deep=true&sort=name&limit=500`, {
    key,
  });
  return Promise.all(
    body.items.map(async ({ id }: { id: string }) => {
      const asset = (await installation.call('GET', `${api}/assets/${id}`, { key })).body;
      const content = await installation.call('GET', `${api}/assets/${id}/content`, { key });
      const text = JSON.stringify({ ...asset, content: content.bytes.toString('base64') });
      return JSON.parse(text.replaceAll(installation.url, ''));
    }),
  );
}

test.skipIf(inject('homeBucket'))(
  'an installation comes back whole from its back-up, taken while files come in',
  async () => {
    const upload = (n: number) =>
      photo(60, 40, n).then((data) =>
        server.call('POST', `${api}/assets`, {
          body: form(`/lights/${n % 3}`, [{ name: `${n}.jpg`, data }]),
        }),
      );
    await server.call('POST', `${api}/recipes`, { json: recipe('small', '/', 20) });
    for (let n = 0; n < 12; n += 1) await upload(n);
    await writeFile(join(server.inbox, 'in-place.txt'), 'a file that lies where it lies');
    await server.call('POST', `${api}/inbox/register`, { json: { folder: '/placed', mode: 'place' } });
    await server.workUntilIdle();
    const { id } = (await server.call('GET', `${api}/assets?folder=/lights/1`)).body.items[0];
    const key = await server.key();
    const signed = await server.call('POST', `${api}/assets/${id}/address`, {
      json: { steps: [{ op: 'fit', mode: 'inside', width: 15 }] },
    });
    const before = await everythingOf(server, key);

    const env = { ...server.env, UNIFERUM_DB_HOST: '127.0.0.1', BACKUP: folder };
    let isOver = false;
    const meanwhile = (async () => {
      for (let n = 100; !isOver; n += 1) await upload(n);
    })();
    await run(commands('back-up'), env);
    // And again: what is there is left as it is.
    await run(commands('back-up'), env);
    isOver = true;
    await meanwhile;
    await rm(join(server.inbox, 'in-place.txt'));

    const restored = {
      ...env,
      UNIFERUM_DB_NAME: `${server.config.database.name}_restored`,
      UNIFERUM_DATA_DIR: join(folder, 'data'),
      UNIFERUM_INBOX_DIR: join(folder, 'inbox'),
    };
    const { stdout } = await run(commands('restore'), restored);
    expect(stdout.trim()).toBe('No problems found.');
    const second = await startTestServer({ env: restored });
    try {
      expect(await findBroken(second.db, second.store, { hash: true })).toEqual([]);
      const after = await everythingOf(second, key);
      // With what came in until the dump began to read; and nothing of what was there is missing or another.
      expect(after).toEqual(expect.arrayContaining(before));
      await second.workUntilIdle();
      const address = new URL(signed.body.url).pathname + new URL(signed.body.url).search;
      expect((await second.call('GET', address, { key: null })).status).toBe(200);
      expect(await findBroken(second.db, second.store, { hash: true })).toEqual([]);
    } finally {
      await second.close();
    }
  },
);

test.skipIf(inject('homeBucket'))('a back-up whose bytes are not all there is found out', async () => {
  const backUp = await mkdtemp(join(tmpdir(), 'uniferum-half-'));
  const env = { ...server.env, UNIFERUM_DB_HOST: '127.0.0.1', BACKUP: backUp };
  const [asset] = (await server.call('GET', `${api}/assets?folder=/lights/2`)).body.items;
  await run(commands('back-up').replace('cp -rLpu', 'cp -rpu'), env);
  await rm(join(backUp, 'blobs', asset.sha256.slice(0, 2), asset.sha256));
  const restored = {
    ...env,
    UNIFERUM_DB_NAME: `${server.config.database.name}_half`,
    UNIFERUM_DATA_DIR: join(backUp, 'data'),
  };
  try {
    const failure = await run(commands('restore'), restored).catch((error) => error);
    // The picture that was taken away, and the file in place whose bytes were not copied along.
    expect([failure.code, failure.stdout]).toEqual([
      1,
      expect.stringMatching(/^2 bytes that are recorded and not in the store/),
    ]);
    expect(failure.stdout).toContain(asset.sha256);
  } finally {
    await server.db.query(`DROP DATABASE \`${restored.UNIFERUM_DB_NAME}\``);
    await rm(backUp, { recursive: true, force: true });
  }
});
