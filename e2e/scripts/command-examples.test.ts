import { cp, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { eventually } from '../../server/src/testing/harness.js';
import { openScene, prepareNews, readExamples, type Scene } from './documents.js';

// The commands of the command line's README, run one after the other as they stand.

describe('the README of the command line', async () => {
  const commands = (await readExamples('cli/README.md')).flatMap(({ code, line }) =>
    code.split('\n').flatMap((text, n) => (text === '' ? [] : [{ line: line + n, text }])),
  );
  /** What ends with another status than 0 here, as it says. */
  const statuses = new Map([
    ['uniferum up dusk.jpg --to /lights --no-rename', 1],
    ['uniferum broken', 1],
  ]);
  let scene: Scene;
  let asset: string;
  beforeAll(async () => {
    scene = await openScene();
    const { folder, server } = scene;
    await cp(join(folder, 'views'), join(server.inbox), { recursive: true });
    const make = async (path: string, json: unknown) => server.call('POST', `/api/v1${path}`, { json });
    const step = { op: 'fit', mode: 'inside', width: 200 };
    await make('/recipes', { name: 'wide', title: 'Wide', steps: [step], folders: ['/lights'] });
    for (const path of ['/news', '/sold', '/site']) await make('/folders', { path });
    await scene.run({ language: 'sh', code: 'uniferum up dusk.jpg dawn.jpg --to /lights' });
    asset = (await server.call('GET', '/api/v1/assets?q=dusk&folder=/lights')).body.items[0].id;
    await prepareNews(scene);
    await writeFile(join(folder, 'views.csv'), `path,folder\n${scene.siteUrl}/dawn.jpg,/archive\n`);
  });
  afterAll(() => scene.close());

  test.each(commands.map((one) => [one.line, one.text] as const))('line %d: %s', async (_, text) => {
    const code = text.replace('1204', asset).replace('runs 17', 'runs 1');
    const ended = await scene.run({ language: 'sh', code }, `${scene.key}\n`);
    const wanted = [...statuses].find(([begin]) => text.startsWith(begin))?.[1] ?? 0;
    expect([ended.code, ended.err]).toEqual([wanted, expect.not.stringMatching(/deprecat|undefined/)]);
    await eventually(async () => {
      const { body } = await scene.server.call('GET', '/api/v1/runs?state=working');
      return body.items.length === 0;
    });
  });
});
