import { mkdir, readdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, test, vi } from 'vitest';
import { ProcessKilledError } from '../shared/process-task.js';
import { api, callsOf } from '../testing/calls.js';
import { startTestServer, type TestServer } from '../testing/harness.js';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(async () => {
  await server.close();
});
afterEach(() => {
  vi.restoreAllMocks();
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
    const { items } = (await server.call('GET', `${api}/intakes/${body.intake.id}/files`)).body;
    const messages = items.flatMap(({ verdict }: { verdict: { reasons: { message: string }[] } }) =>
      verdict.reasons.map(({ message }) => message.slice(0, 16)),
    );
    expect(messages.sort()).toEqual(['Row 2 is skipped', 'Row 3 is skipped']);
    expect((await assetsOf('/manifest'))[0]).toMatchObject({
      alt: 'A "fine" day',
      keywords: ['sea', 'dusk'],
      capturedAt: '2025-06-01T10:00:00.000Z',
      folder: { path: '/manifest/one' },
    });
  });

  test('with thousands of rows is planned and its rows are taken in', async () => {
    const rows = Array.from({ length: 2500 }, (_, n) => `"data:,row%20${n}",r${n}.txt`);
    const content = `source,name\n${rows.join('\n')}\n`;
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, {
      json: { content, folder: '/rows' },
    });
    expect([status, body.run.total]).toEqual([202, 2500]);
    await server.call('POST', `${api}/runs/${body.run.id}/stop`);
    await server.call('POST', `${api}/runs/${body.run.id}/resume`);
    await server.workUntilIdle();
    const { total } = (await server.call('GET', `${api}/assets?folder=/rows&deep=true&limit=1`)).body;
    expect(total).toBe(2500);
  });

  test.each([
    ['no column with a source', 'alt,title\na,b\n', 'no column contains the path'],
    ['nothing in it', 'path\n', 'no rows'],
    ['broken JSON', '[{', 'not valid JSON'],
  ])('with %s is refused', async (_what, content, reason) => {
    const { status, body } = await server.call('POST', `${api}/intake/manifest`, { json: { content } });
    expect([status, body.detail]).toEqual([422, expect.stringContaining(reason)]);
  });

  const send = (content: string, more: object = {}, query = '') =>
    server.call('POST', `${api}/intake/manifest${query}`, { json: { content, ...more } });

  test('names a file after its path, and one from an address after the address', async () => {
    await writeFile(join(server.inbox, 'loose.txt'), 'no folder');
    await mkdir(join(server.inbox, 'deep/er'), { recursive: true });
    await writeFile(join(server.inbox, 'deep/er/buoy.txt'), 'two folders');
    const content = 'path\nloose.txt\ndeep/er/buoy.txt\n"data:text/plain,fog"\n';
    const { body } = await send(content, { folder: '/named' });
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map(({ name }) => name).sort()).toEqual([
      'buoy.txt',
      'loose.txt',
      'unnamed.txt',
    ]);
    expect(body.intake.label).toBe(null);
    expect((await server.call('GET', `${api}/runs/${body.run.id}`)).body.title).toBe(
      'Importing 3 rows of a manifest into /named',
    );
  });

  test('of which every row is faulty is refused with the fault of each row', async () => {
    await mkdir(join(server.inbox, 'only-a-folder'), { recursive: true });
    const { status, body } = await send('path\ngone.txt\nonly-a-folder\n');
    expect([status, body.detail]).toEqual([
      422,
      'The manifest has no rows that can be imported: there is no gone.txt in the inbox.',
    ]);
    expect(body.errors).toEqual([
      { field: 'row 1', code: 'manifest-row', message: 'there is no gone.txt in the inbox' },
      { field: 'row 2', code: 'manifest-row', message: 'there is no only-a-folder in the inbox' },
    ]);
  });

  test('that is faulty as a whole says so of its content, and without rows that it has none', async () => {
    const broken = (await send('[{')).body;
    expect(broken.errors).toEqual([
      { field: 'content', code: 'manifest-row', message: expect.stringContaining('not valid JSON') },
    ]);
    const empty = (await send('path\n')).body;
    expect([empty.detail, empty.errors]).toEqual([
      'The manifest has no rows that can be imported: it has no rows.',
      [],
    ]);
  });

  test('lists the first hundred faults of a refused one, and the first thousand of a rehearsal', async () => {
    const content = `path\n${Array.from({ length: 1001 }, (_, n) => `gone-${n}.txt`).join('\n')}\n`;
    const refused = (await send(content)).body.errors;
    expect([refused.length, refused.at(-1).field]).toEqual([100, 'row 100']);
    const { plan } = (await send(content, {}, '?rehearse=true')).body;
    expect([plan.faults.length, plan.totals]).toEqual([1000, { rows: 1001, taken: 0, faults: 1001 }]);
    const rows = `source,name\n${Array.from({ length: 1001 }, (_, n) => `"data:,${n}",${n}.txt`).join('\n')}\n`;
    const good = (await send(rows, {}, '?rehearse=true')).body.plan;
    expect([good.rows?.length ?? good.items?.length, good.totals.taken]).toEqual([1000, 1001]);
  });

  test.each([
    ['views.csv', 'views.csv'],
    [null, 'the manifest'],
  ])('labelled %s records a fault of the whole under that name', async (label, name) => {
    const plan = server.processes.inspector.planManifest.bind(server.processes.inspector);
    vi.spyOn(server.processes.inspector, 'planManifest').mockImplementation(async (path, options) => {
      const planned = await plan(path, options);
      const fault = { row: null, column: null, message: 'it has more rows than are read' };
      await writeFile(options.outPath, `\n${JSON.stringify({ fault })}\n`, { flag: 'a' });
      return planned;
    });
    const { body } = await send(`source,name\n"data:,${name}",cut.txt\n`, {
      folder: `/cut-${label}`,
      ...(label && { label }),
    });
    await server.workUntilIdle();
    expect((await filesOf(body.intake.id)).map((file) => [file.name, file.outcome, file.codes])).toEqual(
      expect.arrayContaining([
        [name, 'refused', 'incomplete'],
        ['cut.txt', 'accepted', ''],
      ]),
    );
    const { items } = (await server.call('GET', `${api}/intakes/${body.intake.id}/files?limit=10`)).body;
    expect(
      items.map((item: { verdict: { reasons: { message: string }[] } }) => item.verdict.reasons),
    ).toContainEqual([
      expect.objectContaining({ message: 'The manifest is skipped: it has more rows than are read.' }),
    ]);
  });

  test("that its process can't survive is refused; any other failure is not the manifest's", async () => {
    const planManifest = vi.spyOn(server.processes.inspector, 'planManifest');
    planManifest.mockRejectedValueOnce(new ProcessKilledError('it needs more than 512 MB'));
    const { status, body } = await send('path\na.txt\n');
    expect([status, body.detail]).toEqual([
      422,
      "The manifest can't be read: it needs more than 512 MB. Split it into several files.",
    ]);
    planManifest.mockRejectedValueOnce(new Error('something else'));
    expect((await send('path\na.txt\n')).status).toBe(500);
  });

  test('leaves nothing behind in the store', async () => {
    await send('path\ngone.txt\n');
    await send('source,name\n"data:,x",x.txt\n', {}, '?rehearse=true');
    expect(await readdir(server.store.scratch())).toEqual([]);
  });
});
