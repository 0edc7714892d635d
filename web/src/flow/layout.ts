import type { Flow } from '@uniferum/core';
import { scaleSqrt } from 'd3-scale';
import { linkHorizontal } from 'd3-shape';

export interface Box {
  id: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A stream between two boxes: its middle line, and how broad it is. */
export interface Stream {
  id: string;
  path: string;
  breadth: number;
  tone: 'steel' | 'fault' | 'oxide';
  /** Something is on its way in it now. */
  isFlowing: boolean;
}

export interface FlowLayout {
  boxes: Map<string, Box>;
  streams: Stream[];
}

/** At most so many recipes are drawn; when there are more, the last box counts the rest. */
export const MAX_DRAWN_RECIPES = 7;
/** The name of the box that counts the rest. No recipe can have it. */
export const REST = '+';

type FlowRecipe = Flow['recipes'][number];

/** The recipes that are drawn, those with most files first, and what the others come to together. */
export function drawnRecipes(recipes: readonly FlowRecipe[]): FlowRecipe[] {
  const sorted = [...recipes].sort((a, b) => filesOf(b) - filesOf(a));
  if (sorted.length <= MAX_DRAWN_RECIPES) return sorted;
  const rest = sorted.slice(MAX_DRAWN_RECIPES - 1);
  const states = { fresh: 0, due: 0, outdated: 0, failed: 0, surplus: 0 };
  for (const recipe of rest)
    for (const state of Object.keys(states) as (keyof typeof states)[]) states[state] += recipe.states[state];
  const bytes = rest.reduce((sum, one) => sum + one.bytes, 0);
  return [
    ...sorted.slice(0, MAX_DRAWN_RECIPES - 1),
    { name: REST, title: `${rest.length} more`, states, bytes },
  ];
}

function filesOf({ states }: FlowRecipe): number {
  return states.fresh + states.due + states.outdated + states.failed;
}

const COLUMNS = 6;
const GAP_SHARE = 0.34;
const ROW_GAP = 18;
/** What the stream of the originals needs above the recipes. */
const CREST_ROOM = 64;
const HEIGHTS = {
  source: 92,
  narrowSource: 54,
  intake: 184,
  refused: 80,
  library: 270,
  recipe: 84,
  store: 110,
  pages: 110,
};

/** The height for which the boxes are made; in a higher window they grow with it, up to a point. */
const USUAL_HEIGHT = 520;
const MOST_GROWTH = 1.45;

/** Places the joints of the map in six columns, in the order of the work, and draws the streams between them. */
export function layOutFlow(flow: Flow, size: { width: number; height: number }): FlowLayout {
  const boxes = placeBoxes(flow, size);
  return { boxes, streams: drawStreams(flow, boxes) };
}

function placeBoxes(flow: Flow, { width, height }: { width: number; height: number }): Map<string, Box> {
  const pitch = width / (COLUMNS - GAP_SHARE);
  const column = pitch * (1 - GAP_SHARE);
  const middle = height / 2;
  const growth = Math.min(Math.max(height / USUAL_HEIGHT, 1), MOST_GROWTH);
  const boxes = new Map<string, Box>();
  const stack = (index: number, entries: readonly [id: string, height: number][], centre = middle) => {
    const total =
      entries.reduce((sum, [, tall]) => sum + tall * growth, 0) + ROW_GAP * growth * (entries.length - 1);
    let y = centre - total / 2;
    for (const [id, tall] of entries) {
      boxes.set(id, { id, x: index * pitch, y, width: column, height: tall * growth });
      y += (tall + ROW_GAP) * growth;
    }
  };
  const drawn = drawnRecipes(flow.recipes);
  // As many as there are share the height that is there, below the stream of the originals.
  const share = (height - CREST_ROOM) / Math.max(1, drawn.length) / growth - ROW_GAP;
  const recipes = drawn.map(({ name }): [string, number] => [
    `recipe:${name}`,
    Math.min(HEIGHTS.recipe, share),
  ]);
  stack(
    0,
    flow.sources.map(({ from }): [string, number] => [
      `source:${from}`,
      flow.sources.length > 4 ? HEIGHTS.narrowSource : HEIGHTS.source,
    ]),
  );
  stack(1, [['intake', HEIGHTS.intake]]);
  stack(2, [['library', HEIGHTS.library]]);
  stack(
    3,
    recipes.length > 0 ? recipes : [['recipes', HEIGHTS.recipe]],
    middle + CREST_ROOM / 2 - ROW_GAP / 2,
  );
  stack(
    4,
    flow.stores.map(({ store }): [string, number] => [`store:${store}`, HEIGHTS.store]),
  );
  stack(5, [['pages', HEIGHTS.pages]]);
  const intake = boxes.get('intake');
  if (intake)
    boxes.set('refused', {
      id: 'refused',
      x: intake.x,
      y: intake.y + intake.height + 44,
      width: column,
      height: HEIGHTS.refused * growth,
    });
  return boxes;
}

function drawStreams(flow: Flow, boxes: ReadonlyMap<string, Box>): Stream[] {
  const taken = flow.sources.reduce((sum, { amount }) => sum + amount.items, 0);
  const most = Math.max(1, taken, flow.library.items, ...flow.stores.map(({ amount }) => amount.items));
  const breadthOf = scaleSqrt().domain([0, most]).range([2, 40]);
  const streams: Stream[] = [];
  const join = (
    from: string,
    to: string,
    items: number,
    options: { fromAt?: number; toAt?: number; tone?: Stream['tone']; isFlowing?: boolean } = {},
  ) => {
    const [start, end] = [boxes.get(from), boxes.get(to)];
    if (!start || !end) return;
    const { fromAt = 0.5, toAt = 0.5, tone = 'steel', isFlowing = false } = options;
    const path = linkHorizontal()({
      source: [start.x + start.width, start.y + start.height * fromAt],
      target: [end.x, end.y + end.height * toAt],
    });
    if (path)
      streams.push({ id: `${from} ${to}`, path, breadth: items > 0 ? breadthOf(items) : 1, tone, isFlowing });
  };
  flow.sources.forEach(({ from, amount }, index) => {
    join(`source:${from}`, 'intake', amount.items, { toAt: spread(index, flow.sources.length, 0.3, 0.7) });
  });
  join('intake', 'library', taken);
  const drawn = drawnRecipes(flow.recipes);
  drawn.forEach(({ name, states }, index) => {
    const made = states.fresh + states.outdated;
    const at = spread(index, drawn.length, 0.4, 0.85);
    join('library', `recipe:${name}`, made + states.due, {
      fromAt: at,
      isFlowing: states.due > 0 && flow.runs.active > 0,
    });
    for (const { store } of flow.stores)
      join(`recipe:${name}`, `store:${store}`, made, { toAt: at, tone: 'oxide' });
  });
  const over = overRecipes(boxes);
  for (const { store } of flow.stores) {
    const path = over(`store:${store}`);
    if (path)
      streams.push({
        id: `originals ${store}`,
        path,
        breadth: breadthOf(flow.library.items),
        tone: 'steel',
        isFlowing: false,
      });
    join(`store:${store}`, 'pages', 0);
  }
  return [...streams, ...refusedStream(boxes, flow.verdicts.refused, breadthOf)];
}

/** The originals go to the store above the recipes: they pass through none. */
function overRecipes(boxes: ReadonlyMap<string, Box>): (store: string) => string | null {
  return (store) => {
    const [library, target] = [boxes.get('library'), boxes.get(store)];
    const recipes = [...boxes.values()].filter(({ id }) => id.startsWith('recipe'));
    if (!library || !target || recipes.length === 0) return null;
    const start = { x: library.x + library.width, y: library.y + library.height * 0.16 };
    const crest = Math.min(...recipes.map(({ y }) => y)) - 30;
    const [left, right] = [recipes[0]?.x ?? 0, (recipes[0]?.x ?? 0) + (recipes[0]?.width ?? 0)];
    const end = { x: target.x, y: target.y + target.height * 0.2 };
    const bend = (left - start.x) / 2;
    return `M${start.x},${start.y}C${start.x + bend},${start.y} ${left - bend},${crest} ${left},${crest}L${right},${crest}C${right + bend},${crest} ${end.x - bend},${end.y} ${end.x},${end.y}`;
  };
}

/** What is refused falls out of the intake. */
function refusedStream(
  boxes: ReadonlyMap<string, Box>,
  refused: number,
  breadthOf: (items: number) => number,
): Stream[] {
  const [intake, box] = [boxes.get('intake'), boxes.get('refused')];
  if (!intake || !box || refused === 0) return [];
  const x = intake.x + intake.width * 0.5;
  return [
    {
      id: 'refused',
      path: `M${x},${intake.y + intake.height}L${x},${box.y}`,
      breadth: breadthOf(refused),
      tone: 'fault',
      isFlowing: false,
    },
  ];
}

function spread(index: number, count: number, from: number, to: number): number {
  return count < 2 ? (from + to) / 2 : from + ((to - from) * index) / (count - 1);
}
