import { cp, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readConfig } from '../../server/src/shared/config.js';
import { eventually } from '../../server/src/testing/harness.js';
import { openScene, prepareNews, readExamples, type Scene } from './documents.js';

// The examples of the documents, run one after the other as they stand.

describe('the cookbook', async () => {
  const examples = await readExamples('docs/COOKBOOK.md');
  let scene: Scene;
  beforeAll(async () => {
    scene = await openScene();
    // Slow enough for a run to be stopped before it ends.
    await scene.bucket.setFaults([{ kind: 'slow', method: 'PUT', waitMs: 4000, times: 8 }]);
  });
  afterAll(() => scene.close());

  test.each(examples.map((one) => [one.line, one] as const))('line %d', async (_, example) => {
    const { code, out, err } = await scene.run(example);
    expect([code, err]).toEqual([0, expect.not.stringMatching(/[eE]rror|deprecat/)]);
    expect(`${out}${err}`).not.toMatch(/undefined|NaN|\[object/);
    if (!example.code.includes("from '@uniferum/client'") && !example.code.includes('sha256sum'))
      expect(out.trim()).not.toBe('');
  });

  test('has an example for each of the steps that can be scripted', () => {
    const all = examples.map(({ code }) => code).join('\n');
    for (const said of ['check ', '--manifest', 'putRules', '--fill', 'duplicates', 'snippet', 'surplus'])
      expect(all).toContain(said);
    for (const said of ['uses ', 'crawl ', 'rewrite ', 'placement ', 'events(', 'sha256sum', 'keys.make'])
      expect(all).toContain(said);
  });
});

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

/** What surrounds the examples of a picker in another program: its page, its editor, and its server. */
const PROGRAM = `
const picker = new EventTarget();
const editor = { insert: (html) => console.log(html) };
const requireEditor = () => {};
const app = {
  async post(path, ...handlers) {
    const res = { set: () => res, json: (answer) => console.log(path, Object.keys(answer)) };
    await handlers.at(-1)({}, res);
  },
};
`;
const PICKED = `
picker.dispatchEvent(new CustomEvent('uniferum-pick', { detail: { html: '<img alt="">' } }));
`;

describe('the other documents', () => {
  let scene: Scene;
  beforeAll(async () => {
    scene = await openScene();
    await prepareNews(scene);
    const { server } = scene;
    const make = async (path: string, json: object) =>
      (await server.call('POST', `/api/v1${path}`, { json })).body;
    for (const path of ['/news', '/lights']) await make('/folders', { path });
    await make('/page-types', { name: 'light', title: 'Light', slots: [{ name: 'pictures' }] });
    const { id } = await make('/pages', { title: 'Lights', slug: 'lights', state: 'published' });
    const page = { title: 'Gannet Head', slug: 'gannet-head', type: 'light', parent: id };
    await make('/pages', { ...page, state: 'published' });
    await scene.run({
      language: 'sh',
      code: `uniferum sources --add Guide --path /srv/site/guide --site https://guide.skerry.example/ --writable yes
uniferum sources Guide --index`,
    });
  });
  afterAll(() => scene.close());

  test('the examples of README, PAGES and CONFIGURATION run', async () => {
    const all = ['README.md', 'docs/PAGES.md', 'docs/CONFIGURATION.md'].map(readExamples);
    const examples = (await Promise.all(all)).flat().filter(({ code }) => !code.includes('npm '));
    expect(examples).toHaveLength(6);
    for (const { language, code } of examples) {
      const surrounded = language === 'js' && !code.includes('import ') ? `${PROGRAM}${code}` : code;
      const picked = code.includes('picker.') ? PICKED : '';
      const ended = await scene.run({ language, code: `${surrounded}${picked}` });
      expect([code, ended.code, ended.err]).toEqual([code, 0, expect.not.stringMatching(/[eE]rror/)]);
    }
  });

  test('the settings of a home bucket are ones that a server reads', async () => {
    const [{ code } = { code: '' }] = await readExamples('docs/STORES.md');
    const settings = Object.fromEntries(
      code
        .trim()
        .split('\n')
        .map((line) => line.split('=')),
    );
    const { home } = readConfig({ ...scene.server.env, ...settings });
    expect(home).toMatchObject({ settings: { bucket: 'skerry-originals', prefix: 'library/' } });
  });
});
