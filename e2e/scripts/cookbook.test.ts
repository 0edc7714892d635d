import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { openScene, readExamples, type Scene } from './documents.js';

// The examples of the cookbook, run one after the other as they stand.

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
