import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { api, callsOf, collect } from '../testing/calls.js';
import { type Answer, form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { type OutsideSite, startOutsideSite } from '../testing/outside-site.js';
import { uploadResumably } from '../testing/upload-resumably.js';
import { zip } from '../testing/zip.js';

let server: TestServer;
let outside: OutsideSite;
let small: Buffer;
let large: Buffer;
beforeAll(async () => {
  outside = await startOutsideSite();
  outside.pages.set('/check', async (req, res) => {
    const { data } = JSON.parse((await collect(req)).toString());
    res.end(JSON.stringify({ accept: !data.name.startsWith('bad'), message: null }));
  });
  server = await startTestServer({ env: { UNIFERUM_ALLOWED_HOSTS: outside.host } });
  [small, large] = await Promise.all([photo(60, 40, 1), photo(160, 120, 2)]);
});
afterAll(async () => {
  outside.close();
  await server.close();
});
const { filesOf, assetsOf } = callsOf(() => server);

interface File {
  name: string;
  data: Buffer;
}

interface Case {
  rules: object;
  /** A file that the rules refuse, and one of the same kind that they take. */
  bad(): File;
  good(): File;
  code: string;
  /** What of a file the rule is about. */
  about: 'content' | 'name' | 'texts' | 'place' | 'arrival';
  /** Brings about what the rule asks for, once it holds. */
  prepare?(place: Place): Promise<unknown>;
}

/** A folder whose rules hold, one without rules, and what is unique here. */
interface Place {
  strict: string;
  free: string;
  mark: string;
}

const text = (name: string, data: string): File => ({ name, data: Buffer.from(data) });
let times = 0;
/** The same for nobody else. */
const unique = () => {
  times += 1;
  return `unique ${times}`;
};

const TWIN = 'the same bytes in several folders';

const RULES: Record<string, Case> = {
  maxBytes: {
    rules: { maxBytes: 3000 },
    bad: () => text('bad.txt', unique().repeat(600)),
    good: () => text('good.txt', unique()),
    code: 'too-large',
    about: 'content',
  },
  deny: {
    rules: { deny: ['exe'] },
    bad: () => text('bad.exe', unique()),
    good: () => text('good.txt', unique()),
    code: 'type-denied',
    about: 'name',
  },
  allow: {
    rules: { allow: ['png'] },
    bad: () => text('bad.txt', unique()),
    good: () => text('good.txt', unique()),
    code: 'type-not-allowed',
    about: 'arrival',
  },
  minWidth: {
    rules: { minWidth: 100 },
    bad: () => ({ name: 'bad.jpg', data: small }),
    good: () => ({ name: 'good.jpg', data: large }),
    code: 'too-few-pixels',
    about: 'content',
  },
  maxPixels: {
    rules: { maxPixels: 5000 },
    bad: () => ({ name: 'bad.jpg', data: large }),
    good: () => ({ name: 'good.jpg', data: small }),
    code: 'too-many-pixels',
    about: 'content',
  },
  requireTexts: {
    rules: { requireTexts: ['alt'] },
    bad: () => text('bad.txt', unique()),
    good: () => text('good.txt', unique()),
    code: 'text-missing',
    about: 'texts',
  },
  duplicates: {
    rules: { duplicates: 'refuse' },
    bad: () => text('bad.txt', TWIN),
    good: () => text('good.txt', unique()),
    code: 'duplicate',
    about: 'content',
    prepare: ({ free }) => send(`${free}/twin`, text('twin.txt', TWIN)),
  },
  maxItems: {
    rules: { maxItems: 1 },
    bad: () => text('bad.txt', unique()),
    good: () => text('good.txt', unique()),
    code: 'too-many',
    about: 'place',
    prepare: ({ strict }) => send(strict, text('there.txt', unique())),
  },
  check: {
    rules: {},
    bad: () => text('bad.txt', unique()),
    good: () => text('good.txt', unique()),
    code: 'custom-check',
    about: 'content',
  },
};

const rulesOf = (rule: string) =>
  rule === 'check'
    ? { check: { url: `${outside.url}/check`, timeoutMs: 30_000, onFailure: 'refuse' } }
    : RULES[rule]?.rules;

const call = (method: string, path: string, json?: unknown): Promise<Answer> =>
  server.call(method, `${api}${path}`, json === undefined ? {} : { json });

async function send(folder: string, { name, data }: File): Promise<Answer> {
  return server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data }]) });
}

async function present(folder: string, file: File): Promise<string> {
  const { status, body } = await send(folder, file);
  expect(status).toBe(201);
  return body.id;
}

/** Lets the rule hold, with what it needs to refuse. */
async function enforce(rule: string, place: Place): Promise<void> {
  await RULES[rule]?.prepare?.(place);
  const answer = await call('PUT', `/folders/${await folderId(place.strict)}/rules`, rulesOf(rule));
  expect(answer.status).toBe(200);
}

const codesOf = ({ status, body }: Answer): string[] =>
  status < 300 ? ['taken'] : (body.verdict?.reasons ?? []).map(({ code }: { code: string }) => code);

/** The codes of the one file of a batch. */
async function codesOfBatch(answer: Answer): Promise<string[]> {
  expect(answer.status).toBe(202);
  await server.workUntilIdle();
  const [file] = await filesOf(answer.body.intake.id ?? answer.body.intake);
  return file?.outcome === 'refused' ? file.codes.split(',') : ['taken'];
}

/** The id of a folder, which is made when it is missing. */
async function folderId(path: string): Promise<string> {
  const { items } = (await call('GET', `/folders?within=${path}&limit=1`)).body;
  return items[0]?.path === path ? items[0].id : (await call('POST', '/folders', { path })).body.id;
}

interface Door {
  /** Which rules can refuse something here. */
  rules(rule: Case): boolean;
  /** Tries it. @returns the codes of the refusal, or `taken` */
  through(rule: string, bad: File, place: Place): Promise<string[]>;
}

/** Everything that brings a file into a folder. */
const arrivals = () => true;
const aboutContent = ({ about }: Case) => about === 'content';

const DOORS: Record<string, Door> = {
  'multipart upload': {
    rules: arrivals,
    through: async (rule, bad, place) => {
      await enforce(rule, place);
      return codesOf(await send(place.strict, bad));
    },
  },
  'resumable upload': {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      const { verdict } = await uploadResumably(server, { name, data, folder: place.strict });
      return verdict.outcome === 'refused' ? verdict.reasons.map(({ code }) => code) : ['taken'];
    },
  },
  'archive that is unpacked': {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      const archive = await zip({ [name]: data });
      return codesOfBatch(
        await server.call('POST', `${api}/assets`, {
          body: form(place.strict, [{ name: 'a.zip', data: archive }], { unpack: 'true' }),
        }),
      );
    },
  },
  inbox: {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      await mkdir(join(server.inbox, place.mark), { recursive: true });
      await writeFile(join(server.inbox, place.mark, name), data);
      const answer = await call('POST', '/inbox/register', {
        paths: [`${place.mark}/${name}`],
        folder: place.strict,
        keepFolders: false,
      });
      // What the library has already is not new, and left where it is.
      return answer.status === 200 && rule === 'duplicates' ? ['duplicate'] : codesOfBatch(answer);
    },
  },
  address: {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      outside.pages.set(`/${place.mark}`, (_req, res) => res.end(data));
      return codesOf(
        await call('POST', '/assets', { source: `${outside.url}/${place.mark}`, folder: place.strict, name }),
      );
    },
  },
  'data URI': {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      const source = `data:application/octet-stream;base64,${data.toString('base64')}`;
      return codesOf(await call('POST', '/assets', { source, folder: place.strict, name }));
    },
  },
  manifest: {
    rules: arrivals,
    through: async (rule, { name, data }, place) => {
      await enforce(rule, place);
      const content = `source,name\n"data:;base64,${data.toString('base64')}",${name}\n`;
      return codesOfBatch(await call('POST', '/intake/manifest', { content, folder: place.strict }));
    },
  },
  'content in place of another': {
    rules: aboutContent,
    through: async (rule, bad, place) => {
      // The check sees the name that the file has.
      const good = (RULES[rule] as Case).good();
      const id = await present(place.strict, rule === 'check' ? { ...good, name: 'bad.txt' } : good);
      await enforce(rule, place);
      return codesOf(
        await server.call('PUT', `${api}/assets/${id}/content`, {
          body: new Uint8Array(bad.data),
          headers: { 'Content-Type': 'application/octet-stream' },
        }),
      );
    },
  },
  'another name': {
    rules: ({ about }) => about === 'name',
    through: async (rule, bad, place) => {
      const id = await present(place.strict, (RULES[rule] as Case).good());
      await enforce(rule, place);
      return codesOf(await call('PATCH', `/assets/${id}`, { name: bad.name }));
    },
  },
  'emptied text': {
    rules: ({ about }) => about === 'texts',
    through: async (rule, bad, place) => {
      const id = await present(place.strict, bad);
      await call('PATCH', `/assets/${id}`, { alt: 'A light' });
      await enforce(rule, place);
      return codesOf(await call('PATCH', `/assets/${id}`, { alt: '' }));
    },
  },
  'move of a file': {
    rules: arrivals,
    through: async (rule, bad, place) => {
      const id = await present(place.free, bad);
      await enforce(rule, place);
      return codesOf(await call('PATCH', `/assets/${id}`, { folder: place.strict }));
    },
  },
  'bulk move': {
    rules: arrivals,
    through: async (rule, bad, place) => {
      const id = await present(place.free, bad);
      await enforce(rule, place);
      await call('POST', '/assets/bulk', { select: { ids: [id] }, change: { folder: place.strict } });
      await server.workUntilIdle();
      const { folder } = (await call('GET', `/assets/${id}`)).body;
      return folder.path === place.strict ? ['taken'] : [(RULES[rule] as Case).code];
    },
  },
  'move of a folder': {
    // Nothing is added by it: what is a duplicate was one before.
    rules: ({ code }) => code !== 'duplicate',
    through: async (rule, bad, place) => {
      await present(`${place.free}/sub`, bad);
      await present(`${place.free}/sub`, { ...(RULES[rule] as Case).good(), name: 'also.txt' });
      await enforce(rule, place);
      const id = await folderId(`${place.free}/sub`);
      const answer = await call('PATCH', `/folders/${id}`, { parent: place.strict });
      return [...new Set(codesOf(answer))].filter((code) => code === 'taken' || code === RULES[rule]?.code);
    },
  },
  'restoring from the bin': {
    rules: arrivals,
    through: async (rule, bad, place) => {
      const id = await present(place.strict, bad);
      await call('DELETE', `/assets/${id}`);
      await enforce(rule, place);
      return codesOf(await call('POST', `/assets/${id}/restore`, {}));
    },
  },
  'an earlier version': {
    rules: aboutContent,
    through: async (rule, bad, place) => {
      const good = (RULES[rule] as Case).good();
      const id = await present(place.strict, { ...bad, name: rule === 'check' ? 'bad.txt' : good.name });
      await server.call('PUT', `${api}/assets/${id}/content`, {
        body: new Uint8Array(good.data),
        headers: { 'Content-Type': 'application/octet-stream' },
      });
      await enforce(rule, place);
      return codesOf(await call('POST', `/assets/${id}/versions/1/restore`, {}));
    },
  },
  'undoing a bulk move': {
    rules: arrivals,
    through: async (rule, bad, place) => {
      const id = await present(place.strict, bad);
      const { body } = await call('POST', '/assets/bulk', {
        select: { ids: [id] },
        change: { folder: place.free },
      });
      await server.workUntilIdle();
      await enforce(rule, place);
      await call('POST', `/runs/${body.run.id}/undo`, {});
      await server.workUntilIdle();
      const { folder } = (await call('GET', `/assets/${id}`)).body;
      return folder.path === place.strict ? ['taken'] : [(RULES[rule] as Case).code];
    },
  },
};

describe.each(Object.keys(DOORS))('by %s', (name) => {
  const door = DOORS[name] as Door;
  const rules = Object.keys(RULES).filter((rule) => door.rules(RULES[rule] as Case));

  test.each(rules)('%s holds', async (rule) => {
    const { bad, code } = RULES[rule] as Case;
    const mark = `${name.replaceAll(' ', '-')}-${rule}`.toLowerCase();
    const place = { strict: `/doors/${mark}/strict`, free: `/doors/${mark}/free`, mark };
    const codes = await door.through(rule, bad(), place);
    expect(codes).toContain(code);
    const names = (await assetsOf(place.strict, false)).map((asset) => asset.name);
    // What was there before it held stays; what it refuses has not come.
    expect(names.filter((one) => one.startsWith('bad')).length).toBeLessThanOrEqual(
      /^(?:content|emptied|an earlier)/.test(name) ? 1 : 0,
    );
  });

  test('what the rules take is taken', async () => {
    if (!door.rules(RULES.maxBytes as Case)) return;
    const mark = `${name.replaceAll(' ', '-')}-taken`.toLowerCase();
    const place = { strict: `/doors/${mark}/strict`, free: `/doors/${mark}/free`, mark };
    expect(await door.through('maxBytes', (RULES.maxBytes as Case).good(), place)).toEqual(['taken']);
  });
});
