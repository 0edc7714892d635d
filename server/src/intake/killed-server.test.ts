import { type ChildProcess, fork } from 'node:child_process';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { api, callsOf } from '../testing/calls.js';
import { eventually, form, startTestServer, type TestServer } from '../testing/harness.js';

const MAIN = new URL('../main.ts', import.meta.url).pathname
  .replace('/src/', '/dist/')
  .replace(/\.ts$/, '.js');

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer({ env: { UNIFERUM_REQUEST_LEASE_MS: '1500' } });
});
afterAll(async () => {
  await server.close();
});
const { assetsOf } = callsOf(() => server);

/** A server beside the tested one, with the same database and data, that can be killed. */
async function startVictim(): Promise<{ url: string; kill: () => Promise<void> }> {
  const child: ChildProcess = fork(MAIN, { env: { ...process.env, ...server.env, UNIFERUM_PORT: '0' } });
  const { port } = await new Promise<{ port: number }>((resolve, reject) => {
    child.once('message', (message) => resolve(message as { port: number }));
    child.once('exit', (code) => reject(new Error(`The server ended with ${code}`)));
  });
  return {
    url: `http://127.0.0.1:${port}`,
    kill: () =>
      new Promise((resolve) => {
        child.once('exit', () => resolve());
        child.kill('SIGKILL');
      }),
  };
}

const count = async (sql: string) =>
  Number(((await server.db.query(sql)) as unknown as [{ n: number }[]])[0][0]?.n);

/** Moments in the life of a request, by what can be seen of them from outside. */
const MOMENTS: [string, (key: string, folder: string) => Promise<boolean>][] = [
  [
    'when it had been claimed',
    async (key) =>
      (await count(`SELECT COUNT(*) AS n FROM kept_answers WHERE idempotency_key = '${key}'`)) > 0,
  ],
  [
    'when its first bytes had been kept',
    async (key) =>
      (await count(`SELECT COUNT(*) AS n FROM kept_parts WHERE idempotency_key = '${key}'`)) > 0 ||
      (await count(
        `SELECT COUNT(*) AS n FROM kept_answers WHERE idempotency_key = '${key}' AND status IS NOT NULL`,
      )) > 0,
  ],
  [
    'when its files were in the library',
    async (_key, folder) =>
      (await count(
        `SELECT COUNT(*) AS n FROM assets JOIN folders ON folders.id = assets.folder_id WHERE folders.path = '${folder}'`,
      )) > 0,
  ],
];

describe('an upload whose server is killed', () => {
  test.each(MOMENTS)('%s comes in once when it is sent again', async (moment, hasCome) => {
    const victim = await startVictim();
    const key = `killed-${moment.replaceAll(' ', '-')}`;
    const folder = `/killed/${key}`;
    const authorization = { Authorization: `Bearer ${await server.key()}`, 'Idempotency-Key': key };
    // More than are settled at a time, so that there is a middle.
    const files = Array.from({ length: 150 }, (_, n) => ({
      name: `${n}.txt`,
      data: Buffer.alloc(20_000, `${moment} ${n} `),
    }));
    const send = (url: string) =>
      fetch(`${url}${api}/assets`, { method: 'POST', headers: authorization, body: form(folder, files) });
    const first = send(victim.url).then(
      ({ status }) => status,
      () => null,
    );
    await eventually(() => hasCome(key, folder));
    await victim.kill();
    await first;
    const statuses: number[] = [];
    await eventually(async () => {
      const again = await send(server.url);
      await again.arrayBuffer();
      statuses.push(again.status);
      return again.status === 207;
    });
    // Until the claim of the dead one has run out it is told to wait, and nothing else.
    expect(new Set(statuses.slice(0, -1))).toEqual(new Set(statuses.length > 1 ? [409] : []));
    const assets = await assetsOf(folder);
    expect(assets.map(({ name }) => name).sort()).toEqual(files.map(({ name }) => name).sort());
    const replayed = await send(server.url);
    expect([replayed.status, replayed.headers.get('idempotent-replayed')]).toEqual([207, 'true']);
    expect(await assetsOf(folder)).toHaveLength(files.length);
    expect(await findBroken(server.db, server.store)).toEqual([]);
  });

  test.each([0, 1])('while it ends a resumable upload comes in once (%i)', async (n) => {
    const victim = await startVictim();
    const data = Buffer.alloc(400_000, `resumed ${n} `);
    const headers = { Authorization: `Bearer ${await server.key()}`, 'Tus-Resumable': '1.0.0' };
    const encode = (text: string) => Buffer.from(text).toString('base64');
    const begun = await fetch(`${victim.url}${api}/uploads`, {
      method: 'POST',
      headers: {
        ...headers,
        'Upload-Length': String(data.length),
        'Upload-Metadata': `filename ${encode('a.txt')},folder ${encode(`/resumed/${n}`)}`,
      },
    });
    const id = begun.headers.get('location')?.split('/').at(-1) ?? '';
    const sent = fetch(`${victim.url}${api}/uploads/${id}`, {
      method: 'PATCH',
      headers: { ...headers, 'Upload-Offset': '0', 'Content-Type': 'application/offset+octet-stream' },
      body: data,
    }).catch(() => null);
    const isClaimed = () =>
      count(
        `SELECT COUNT(*) AS n FROM uploads WHERE id = '${id}' AND (token IS NOT NULL OR result IS NOT NULL)`,
      );
    const isTaken = () =>
      count(
        `SELECT COUNT(*) AS n FROM assets JOIN folders ON folders.id = assets.folder_id WHERE folders.path = '/resumed/${n}'`,
      );
    await eventually(async () => (await (n % 2 === 0 ? isClaimed() : isTaken())) > 0);
    await victim.kill();
    await sent;
    const result = () => fetch(`${server.url}${api}/uploads/${id}/result`, { headers });
    await eventually(async () => (await result()).status === 200);
    const [one, two] = (await Promise.all(
      [result(), result()].map(async (answer) => (await answer).json()),
    )) as [{ asset: string }, unknown];
    expect(two).toEqual(one);
    const assets = await assetsOf(`/resumed/${n}`);
    expect(assets.map((asset) => asset.id)).toEqual([one.asset]);
  });
});
