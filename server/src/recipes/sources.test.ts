import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { findBroken } from '../house/invariants.js';
import { type Atelier, openAtelier, recipe } from '../testing/derived.js';
import { form } from '../testing/harness.js';

let server: Atelier['server'];
let api: Atelier['api'];
let publicly: Atelier['publicly'];
let renditionsOf: Atelier['renditionsOf'];
beforeAll(async () => {
  ({ server, api, publicly, renditionsOf } = await openAtelier());
});
afterAll(() => server.close());

/** A PDF of one page, its size in points. Source: ISO 32000-1, 7.5 (file structure). */
function onePage(width: number, height: number, drawing: string): Buffer {
  const objects = [
    '<< /Type /Catalog /Pages 2 0 R >>',
    '<< /Type /Pages /Kids [3 0 R] /Count 1 >>',
    `<< /Type /Page /Parent 2 0 R /MediaBox [0 0 ${width} ${height}] /Contents 4 0 R >>`,
    `<< /Length ${drawing.length} >>\nstream\n${drawing}\nendstream`,
  ];
  let text = '%PDF-1.4\n';
  const offsets = objects.map((object, index) => {
    const at = text.length;
    text += `${index + 1} 0 obj\n${object}\nendobj\n`;
    return at;
  });
  const table = offsets.map((offset) => `${String(offset).padStart(10, '0')} 00000 n \n`).join('');
  return Buffer.from(
    `${text}xref\n0 5\n0000000000 65535 f \n${table}trailer\n<< /Size 5 /Root 1 0 R >>\nstartxref\n${text.length}\n%%EOF\n`,
  );
}

describe('sources beyond pictures', () => {
  const kinds = { kinds: ['document', 'video', 'audio', 'vector'] };
  test("a page of a document, and one that it doesn't have", async () => {
    const pdf = onePage(300, 200, '0.651 0.239 0.165 rg 10 10 280 180 re f');
    await api(
      'POST',
      '/recipes',
      recipe('front', '/papers', 150, {
        ...kinds,
        steps: [
          { op: 'page', page: 1, dpi: 144 },
          { op: 'fit', mode: 'inside', width: 150 },
        ],
      }),
    );
    await api(
      'POST',
      '/recipes',
      recipe('ninth', '/papers', 150, { ...kinds, steps: [{ op: 'page', page: 9 }] }),
    );
    const { body: asset } = await server.call('POST', '/api/v1/assets', {
      body: form('/papers', [{ name: 'a.pdf', data: pdf }]),
    });
    await server.workUntilIdle();
    expect(await renditionsOf(asset.id)).toEqual({ front: 'fresh', ninth: 'not-applicable' });
    const { bytes } = await publicly('/media/papers/a~front.jpg');
    const { data, info } = await sharp(bytes).raw().toBuffer({ resolveWithObject: true });
    expect([info.width, info.height]).toEqual([150, 100]);
    expect(Math.abs((data[(50 * 150 + 75) * info.channels] ?? 0) - 0xa6)).toBeLessThan(12);
    const { body: story } = await api('GET', `/assets/${asset.id}/renditions/ninth`);
    expect(story.reasons[0].message).toBe(
      'It does not apply to a.pdf: it has 1 page, but the recipe uses page 9.',
    );
    // Nothing failed, and nothing is offered to be tried again.
    const { body: runs } = await api('GET', '/runs?limit=1');
    expect(runs.items[0]).toMatchObject({ state: 'done', failed: 0 });
    for (const only of ['unfinished', 'failed', 'all'] as const) {
      const { body } = await api('POST', '/recipes/rebuild?rehearse=true', { recipes: ['ninth'], only });
      expect(body.plan.totals.renditions, only).toBe(0);
    }
    expect((await api('GET', '/recipes/ninth')).body.renditions).toMatchObject({
      'not-applicable': 1,
      failed: 0,
      due: 0,
    });
    const found = await api('GET', '/assets?folder=/papers&q=recipe:ninth%3Dnot-applicable');
    expect(found.body.items.map(({ name }: { name: string }) => name)).toEqual(['a.pdf']);
    // An edited recipe is tried again, and so is another file.
    const first = {
      ...recipe('ninth', '/papers', 150, { ...kinds, steps: [{ op: 'page', page: 1 }] }),
      name: undefined,
    };
    await api('PUT', '/recipes/ninth', first);
    expect((await renditionsOf(asset.id)).ninth).toBe('due');
    await api('PUT', '/recipes/ninth', { ...first, steps: [{ op: 'page', page: 2 }] });
    await api('POST', '/recipes/rebuild', { recipes: ['ninth'], only: 'missing' });
    await server.workUntilIdle();
    expect((await renditionsOf(asset.id)).ninth).toBe('not-applicable');
    expect(await findBroken(server.db, server.store)).toEqual([]);
  });

  test('a moment of a film, the wave form of a sound, and their lengths', async () => {
    const film = join(server.config.dataDir, 'film.mp4');
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-f',
      'lavfi',
      '-i',
      'color=c=red:s=160x90:d=1',
      '-f',
      'lavfi',
      '-i',
      'color=c=blue:s=160x90:d=1',
      '-filter_complex',
      '[0][1]concat=n=2',
      '-pix_fmt',
      'yuv420p',
      '-y',
      film,
    ]);
    const samples = Buffer.alloc(44 + 8000 * 2);
    samples.write('RIFF', 0);
    samples.writeUInt32LE(36 + 16_000, 4);
    samples.write('WAVEfmt ', 8);
    samples.writeUInt32LE(16, 16);
    samples.writeUInt16LE(1, 20);
    samples.writeUInt16LE(1, 22);
    samples.writeUInt32LE(8000, 24);
    samples.writeUInt32LE(16_000, 28);
    samples.writeUInt16LE(2, 32);
    samples.writeUInt16LE(16, 34);
    samples.write('data', 36);
    samples.writeUInt32LE(16_000, 40);
    // Loud in its first half only.
    for (let at = 0; at < 4000; at += 1) samples.writeInt16LE(at % 2 ? 30_000 : -30_000, 44 + at * 2);
    await api(
      'POST',
      '/recipes',
      recipe('late', '/reel', 80, {
        kinds: ['video'],
        steps: [{ op: 'moment', at: 1.5 }],
        output: { format: 'png' },
      }),
    );
    await api(
      'POST',
      '/recipes',
      recipe('wave', '/reel', 80, {
        kinds: ['audio'],
        steps: [{ op: 'wave', width: 100, height: 40, colour: '#000000' }],
        output: { format: 'png' },
      }),
    );
    await server.call('POST', '/api/v1/assets', {
      body: form('/reel', [
        { name: 'a.mp4', data: readFileSync(film) },
        { name: 'b.wav', data: samples },
      ]),
    });
    await server.workUntilIdle();
    const moment = await sharp((await publicly('/media/reel/a~late.png')).bytes)
      .removeAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect([moment.info.width, moment.info.height]).toEqual([160, 90]);
    expect([(moment.data[0] ?? 255) < 40, (moment.data[2] ?? 0) > 200]).toEqual([true, true]);
    const wave = await sharp((await publicly('/media/reel/b~wave.png')).bytes)
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
    const inkAt = (x: number) =>
      Array.from({ length: 40 }, (_, y) => wave.data[(y * 100 + x) * 4 + 3] ?? 0).filter(
        (alpha) => alpha > 128,
      ).length;
    expect([inkAt(20) > 30, inkAt(80) <= 3]).toEqual([true, true]);
    const { body } = await api('GET', '/assets?folder=/reel&sort=name');
    expect(body.items.map(({ duration }: { duration: number }) => Math.round(duration))).toEqual([2, 1]);
  });
});
