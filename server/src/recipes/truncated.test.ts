import sharp from 'sharp';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { api, codes } from '../testing/calls.js';
import { recipe } from '../testing/derived.js';
import { form, startTestServer, type TestServer } from '../testing/harness.js';

// What browsers show as far as it goes, renditions show as well, and whoever sends it is told.

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
  await server.call('POST', `${api}/recipes`, { json: recipe('cut', '/cut', 60) });
});
afterAll(async () => {
  await server.close();
});

const noise = () =>
  sharp({
    create: {
      ...{ width: 240, height: 160, channels: 3, background: '#888' },
      noise: { type: 'gaussian', mean: 128, sigma: 40 },
    },
  });
const upload = async (name: string, data: Buffer) =>
  (await server.call('POST', `${api}/assets`, { body: form('/cut', [{ name, data }]) })).body;

test.each([
  ['a JPEG without its last two bytes', 'a.jpg', () => noise().jpeg().toBuffer(), 1],
  ['half a JPEG', 'b.jpg', () => noise().jpeg().toBuffer(), 0.5],
  ['half a progressive JPEG', 'c.jpg', () => noise().jpeg({ progressive: true }).toBuffer(), 0.5],
  ['half a PNG', 'd.png', () => noise().png().toBuffer(), 0.5],
  ['a GIF without its trailer', 'e.gif', () => noise().gif().toBuffer(), 1],
])('%s is accepted with a warning, and has renditions', async (_what, name, make, share) => {
  const whole = await make();
  const asset = await upload(name, whole.subarray(0, Math.floor((whole.length - 2) * share)));
  expect([asset.verdict.outcome, codes(asset.verdict)]).toEqual(['warned', 'truncated']);
  expect([asset.width, asset.height]).toEqual([240, 160]);
  await server.workUntilIdle();
  const [made] = (await server.call('GET', `${api}/assets/${asset.id}/renditions`)).body.items;
  expect([made.state, made.error]).toEqual(['fresh', null]);
  const { data, info } = await sharp((await server.call('GET', new URL(made.url).pathname)).bytes)
    .raw()
    .toBuffer({ resolveWithObject: true });
  expect([info.width, info.height]).toEqual([60, 40]);
  // What is there is shown: the first rows are no flat grey.
  expect(new Set(data.subarray(0, 3 * 60)).size).toBeGreaterThan(5);
});

test('a whole picture with more behind its end is not called truncated', async () => {
  const whole = await noise().jpeg().toBuffer();
  const asset = await upload('film.jpg', Buffer.concat([whole, Buffer.alloc(5000, 7)]));
  expect(asset.verdict.outcome).toBe('accepted');
});

test('the verdict of a file is that of its current bytes, after a replacement and after a version is restored', async () => {
  const whole = await noise().jpeg().toBuffer();
  const { id, verdict } = await upload('again.jpg', whole);
  expect(verdict.outcome).toBe('accepted');
  const replaced = await server.call('PUT', `${api}/assets/${id}/content`, {
    body: new Uint8Array(whole.subarray(0, whole.length / 2)) as BodyInit,
  });
  expect([replaced.status, replaced.body.version]).toEqual([200, 2]);
  expect([replaced.body.verdict.outcome, codes(replaced.body.verdict)]).toEqual(['warned', 'truncated']);
  expect((await server.call('GET', `${api}/assets/${id}`)).body.verdict.outcome).toBe('warned');
  const restored = await server.call('POST', `${api}/assets/${id}/versions/1/restore`);
  expect([restored.body.version, restored.body.verdict.outcome]).toEqual([3, 'accepted']);
});
