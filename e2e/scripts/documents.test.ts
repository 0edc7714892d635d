import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { readConfig } from '../../server/src/shared/config.js';
import { openScene, prepareNews, readExamples, type Scene } from './documents.js';

// The examples of README, PAGES and CONFIGURATION, and the settings in STORES. Other documents have tests of their own.

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
