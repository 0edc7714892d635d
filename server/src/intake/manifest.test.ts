import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api, callsOf } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
const { filesOf, assetsOf } = callsOf(() => server);

describe('a manifest', () => {
  test('is rehearsed with a proposed mapping, and then taken in', async () => {
    await mkdir(join(server.inbox, 'm'), { recursive: true });
    await writeFile(join(server.inbox, 'm/a.txt'), 'from a manifest');
    const content =
      '\ufeffFile;Directory;Alt text;Tags;Date taken\nm/a.txt;/manifest/one;"A ""fine"" day";sea, dusk;2025-06-01T10:00:00Z\nm/missing.txt;;;;\nm/a.txt;;;;31.31.2025\n;;;;\n';
    const rehearsed = await server.call('POST', `${api}/intake/manifest?rehearse=true`, {
      json: { content, folder: '/manifest' },
    });
    expect(rehearsed.body.plan).toMatchObject({
      mapping: {
        source: 'File',
        folder: 'Directory',
        alt: 'Alt text',
        keywords: 'Tags',
        capturedAt: 'Date taken',
      },
      totals: { rows: 3, taken: 1, faults: 2 },
    });
    expect(await assetsOf('/manifest')).toEqual([]);
    const { body } = await server.call('POST', `${api}/intake/manifest`, {
      json: { content, folder: '/manifest', label: 'views.csv' },
    });
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map(({ name, outcome }) => `${name} ${outcome}`).sort()).toEqual([
      'a.txt accepted',
      'row 2 refused',
      'row 3 refused',
    ]);
    expect((await assetsOf('/manifest'))[0]).toMatchObject({
      alt: 'A "fine" day',
      keywords: ['sea', 'dusk'],
      capturedAt: '2025-06-01T10:00:00.000Z',
      folder: { path: '/manifest/one' },
    });
  });

  test('with ten thousand rows is planned and its rows are taken in', async () => {
    const rows = Array.from({ length: 10_000 }, (_, n) => `"data:,row%20${n}",r${n}.txt`);
    const content = `source,name\n${rows.join('\n')}\n`;
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, {
      json: { content, folder: '/rows' },
    });
    expect([status, body.run.total]).toEqual([202, 10_000]);
    await server.call('POST', `${api}/runs/${body.run.id}/stop`);
    await server.call('POST', `${api}/runs/${body.run.id}/resume`);
    await server.workUntilIdle();
    const { total } = (await server.call('GET', `${api}/assets?folder=/rows&deep=true&limit=1`)).body;
    expect(total).toBe(10_000);
  });

  test.each([
    ['no column with a source', 'alt,title\na,b\n', 'no column contains the path'],
    ['nothing in it', 'path\n', 'no rows'],
    ['broken JSON', '[{', 'not valid JSON'],
  ])('with %s is refused', async (_what, content, reason) => {
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, { json: { content } });
    expect([status, body.detail]).toEqual([422, expect.stringContaining(reason)]);
  });
});
