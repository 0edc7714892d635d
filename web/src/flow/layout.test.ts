import type { Flow } from '@uniferum/core/flow';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { drawnRecipes, MAX_DRAWN_RECIPES } from './drawn.js';
import { layOutFlow } from './layout.js';

const states = { fresh: 5, due: 0, 'on-request': 0, 'not-applicable': 0, outdated: 0, failed: 0, surplus: 0 };

function flowWith(items: number, recipes: number, refused = 1): Flow {
  return {
    sources: [
      { from: 'console', amount: { items: 0, bytes: 0 } },
      { from: 'script', amount: { items, bytes: 1 } },
    ],
    verdicts: { accepted: items, warned: 0, refused },
    library: { items, bytes: 1 },
    kinds: [],
    folders: 1,
    ruledFolders: 0,
    pages: { documents: 0, references: 0, broken: 0 },
    recipes: Array.from({ length: recipes }, (_, n) => ({ name: `r${n}`, title: '', states, bytes: 1 })),
    copies: [],
    stores: [{ store: 'server', amount: { items: items * 2, bytes: 1 } }],
    runs: { active: 0, faulty: 0 },
  };
}

test('no two joints of a column overlap, whatever there is and however large the window', () => {
  fc.assert(
    fc.property(
      fc.nat(1_000_000),
      fc.nat(12),
      fc.integer({ min: 1080, max: 3000 }),
      fc.integer({ min: 700, max: 2000 }),
      (items, recipes, width, height) => {
        const boxes = [...layOutFlow(flowWith(items, recipes), { width, height }).boxes.values()];
        for (const a of boxes) {
          expect(a.x + a.width).toBeLessThanOrEqual(width + 0.5);
          for (const b of boxes) {
            const isBeside = a.id === b.id || a.x + a.width <= b.x || b.x + b.width <= a.x;
            expect(isBeside || a.y + a.height <= b.y || b.y + b.height <= a.y, `${a.id} ${b.id}`).toBe(true);
          }
        }
      },
    ),
    { numRuns: 50 },
  );
});

test('a stream is as broad as what flows in it, and one that is empty is a thread', () => {
  const { streams } = layOutFlow(flowWith(100, 1), { width: 1200, height: 700 });
  const breadth = (id: string) => streams.find((stream) => stream.id === id)?.breadth ?? 0;
  expect(breadth('source:console intake')).toBe(1);
  expect(breadth('source:script intake')).toBeGreaterThan(breadth('recipe:r0 store:server'));
  expect(breadth('refused')).toBeGreaterThan(1);
});

test('recipes stay inside of the map, and those that are not drawn are counted', () => {
  const { boxes } = layOutFlow(flowWith(1, 12), { width: 1200, height: 640 });
  const drawn = [...boxes.values()].filter(({ id }) => id.startsWith('recipe:'));
  for (const { y, height } of drawn) expect(y >= 30 && y + height <= 640).toBe(true);
  expect(drawnRecipes(flowWith(1, 12).recipes).at(-1)).toMatchObject({
    title: '6 more',
    states: { fresh: 30 },
  });
  expect(drawnRecipes(flowWith(1, 3).recipes)).toHaveLength(3);
});

test('not more recipes are drawn than there is room for', () => {
  const { boxes } = layOutFlow(flowWith(1, 30), { width: 1200, height: 700 });
  expect([...boxes.keys()].filter((id) => id.startsWith('recipe:'))).toHaveLength(MAX_DRAWN_RECIPES);
});

test('the box of a recipe is as high as what stands in it', () => {
  const flow = flowWith(1, 2);
  const [plain, full] = flow.recipes;
  Object.assign(plain ?? {}, { name: 'tile' });
  Object.assign(full ?? {}, {
    name: 'panorama-for-the-gallery-of-a-light',
    bytes: 1_040_000,
    states: { ...states, failed: 12, outdated: 14, due: 120 },
  });
  const { boxes } = layOutFlow(flow, { width: 1232, height: 700 });
  const height = (name: string) => boxes.get(`recipe:${name}`)?.height ?? 0;
  // The name takes two lines, its bytes one of their own, and the states one more.
  expect(height('panorama-for-the-gallery-of-a-light') - height('tile')).toBe(60);
});

test('stores with copies stand below the home store, in reach of a stream from it', () => {
  const amount = { items: 5, bytes: 9 };
  const flow = {
    ...flowWith(10, 2),
    copies: [
      { store: 'media', amount, waiting: 2, damaged: 0 },
      { store: 'vault', amount: { items: 0, bytes: 0 }, waiting: 0, damaged: 1 },
    ],
  };
  const { boxes, streams } = layOutFlow(flow, { width: 1200, height: 600 });
  const [home, media, vault] = ['store:server', 'copies:media', 'copies:vault'].map((id) => boxes.get(id));
  expect(media?.x).toBe(home?.x);
  expect(media?.y).toBeGreaterThan((home?.y ?? 0) + (home?.height ?? 0));
  expect(vault?.y).toBeGreaterThan((media?.y ?? 0) + (media?.height ?? 0));
  const stream = (name: string) => streams.find(({ id }) => id === `copies ${name}`);
  expect(stream('media')).toMatchObject({ isFlowing: true, tone: 'steel' });
  expect(stream('media')?.breadth).toBeGreaterThan(1);
  expect(stream('vault')).toMatchObject({ isFlowing: false, breadth: 1 });
});
