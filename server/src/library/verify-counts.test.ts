import { pino } from 'pino';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { recipe } from '../testing/derived.js';
import { form, photo, startTestServer, type TestServer } from '../testing/harness.js';
import { createEngine } from '../worker.js';
import { verifyCounts } from './verify-counts.js';

const api = '/api/v1';
const log = pino({ level: 'silent' });
let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

const verify = () => verifyCounts(server.db, log, server.house.plugged.counts, { slow: true });

/** A generator of numbers below `n`, the same for a seed. Source: Numerical Recipes, 7.1 (quick and dirty generator). */
function randomOf(seed: number): (n: number) => number {
  let state = seed;
  return (n) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * n);
  };
}

const FOLDERS = ['/count', '/count/a', '/count/b', '/count/b/c'];

/** Does something by chance; that it may be refused is a part of it. */
async function doSomething(random: (n: number) => number, pictures: readonly Buffer[]): Promise<number> {
  const folder = FOLDERS[random(FOLDERS.length)] as string;
  const call = async (method: string, path: string, json?: unknown) =>
    (await server.call(method, `${api}${path}`, json === undefined ? {} : { json })).status;
  const someAsset = async (from = 'assets') => {
    const { items } = (await server.call('GET', `${api}/${from}?deep=true&folder=/&limit=50`)).body;
    return items?.length ? items[random(items.length)].id : '1';
  };
  switch (random(12)) {
    case 0:
    case 1:
    case 2:
    case 3: {
      const data = random(2)
        ? (pictures[random(pictures.length)] as Buffer)
        : Buffer.from(`text ${random(4)}`);
      const name = data.length > 50 ? `p${random(5)}.jpg` : `t${random(5)}.txt`;
      return (await server.call('POST', `${api}/assets`, { body: form(folder, [{ name, data }]) })).status;
    }
    case 4:
      return call('PATCH', `/assets/${await someAsset()}`, {
        keywords: [`k${random(3)}`],
        title: `t${random(3)}`,
      });
    case 5:
      return call('PATCH', `/assets/${await someAsset()}`, { folder });
    case 6:
      return call('DELETE', `/assets/${await someAsset()}`);
    case 7: {
      const { items } = (await server.call('GET', `${api}/bin?limit=20`)).body;
      return items.length ? call('POST', `/assets/${items[random(items.length)].id}/restore`, {}) : 0;
    }
    case 8:
      return random(4) ? 0 : call('POST', '/bin/empty', {});
    case 9: {
      const name = `r${random(3)}`;
      const body = recipe(
        name,
        '/count',
        40 + random(3) * 10,
        random(2) ? { ladder: { widths: [20, 30] } } : {},
      );
      if (random(3) === 0) return call('DELETE', `/recipes/${name}`);
      const { name: _name, ...rest } = body;
      return random(2) ? call('POST', '/recipes', body) : call('PUT', `/recipes/${name}`, rest);
    }
    case 10:
      return (
        await server.call('PUT', `${api}/assets/${await someAsset()}/content`, {
          body: new Uint8Array(pictures[random(pictures.length)] as Buffer),
          headers: { 'Content-Type': 'image/jpeg' },
        })
      ).status;
    default:
      return call('POST', '/assets/bulk', {
        select: { folder: '/count', q: '' },
        change: { append: { keywords: [`b${random(2)}`] } },
      });
  }
}

test.each([1, 2])('many at a time leave every count as it should be (seed %i)', async (seed) => {
  const random = randomOf(seed);
  const pictures = await Promise.all([1, 2, 3].map((n) => photo(60, 40, seed * 10 + n)));
  const engine = createEngine(server.services, server.house);
  await engine.start();
  const seen = new Map<number, number>();
  const work = async () => {
    for (let n = 0; n < 15; n += 1) {
      const status = await doSomething(random, pictures);
      seen.set(status, (seen.get(status) ?? 0) + 1);
    }
  };
  await Promise.all(Array.from({ length: 8 }, work));
  await engine.close();
  await server.workUntilIdle();
  const unexpected = [...seen.keys()].filter((status) => status >= 500);
  expect(unexpected).toEqual([]);
  expect(seen.get(201)).toBeGreaterThan(12);
  expect(await verify()).toEqual({});
});

test('counts that drifted are put right, also while others go on counting, and are told', async () => {
  const drift = [
    "UPDATE counters SET items = items + 30 WHERE scope = 'store'",
    "UPDATE counters SET items = items - 4, bytes = bytes + 9 WHERE scope LIKE 'recipe:%' LIMIT 1",
    "INSERT INTO counters (scope, name, items, bytes) VALUES ('kind', 'sculpture', 3, 3)",
    "UPDATE counters SET bytes = bytes - 1 WHERE scope = 'verdict'",
    'UPDATE folders SET items = items + 1, bytes = bytes + 5 ORDER BY id LIMIT 2',
    'UPDATE blobs SET holders = holders + 2 LIMIT 3',
    'UPDATE intakes SET accepted = accepted + 1 LIMIT 1',
    "UPDATE facet_counts SET items = items + 7 WHERE scope = 'keyword'",
  ];
  for (const sql of drift) await server.db.query(sql);
  const uploads = Array.from({ length: 30 }, (_, n) =>
    server.call('POST', `${api}/assets`, {
      body: form('/count/a', [{ name: `while-${n}.txt`, data: Buffer.from(`while ${n % 3}`) }]),
    }),
  );
  const [first, second] = await Promise.all([verify(), verify(), ...uploads]);
  const corrected = { ...(first as object), ...(second as object) };
  expect(Object.keys(corrected).sort()).toEqual([
    'facets',
    'folders',
    'holders',
    'intakes, accepted',
    'kinds',
    'recipes',
    'stores',
    'verdicts',
  ]);
  expect(await verify()).toEqual({});
  const { bytes } = await server.call('GET', '/metrics');
  expect(bytes.toString()).toMatch(/uniferum_counts_corrected\{counts="stores"\} 1/);
});
