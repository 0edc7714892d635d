import type { Flow } from '@uniferum/core/flow';
import { formatBytes } from '@uniferum/core/intake';
import { RENDITION_STATES, type RenditionState } from '@uniferum/core/recipes';
import { scaleSqrt } from 'd3-scale';
import { linkHorizontal } from 'd3-shape';

export interface Box {
  id: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A stream between two boxes: its centre line and width. */
export interface Stream {
  id: string;
  path: string;
  breadth: number;
  tone: 'steel' | 'fault' | 'oxide';
  /** Items are moving through it now. */
  isFlowing: boolean;
}

export interface FlowLayout {
  boxes: Map<string, Box>;
  streams: Stream[];
}

/** The maximum number of recipes shown; if there are more, the last box counts the rest. */
export const MAX_DRAWN_RECIPES = 7;
/** The name of the box that counts the rest. No recipe can have it. */
export const REST = '+';

type FlowRecipe = Flow['recipes'][number];

/** The recipes shown, those with the most files first, and the total of the others. */
export function drawnRecipes(recipes: readonly FlowRecipe[]): FlowRecipe[] {
  const sorted = [...recipes].sort((a, b) => filesOf(b) - filesOf(a));
  if (sorted.length <= MAX_DRAWN_RECIPES) return sorted;
  const rest = sorted.slice(MAX_DRAWN_RECIPES - 1);
  const states = Object.fromEntries(
    RENDITION_STATES.map((state) => [state, rest.reduce((sum, recipe) => sum + recipe.states[state], 0)]),
  ) as FlowRecipe['states'];
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
const LEAST_ROW_GAP = 6;
/** The space for the stream of originals above the recipes. */
const CREST_ROOM = 64;

/** The heights of box contents in px, matching their classes. */
const PADDING = 14;
const LINE = 20;
const FIGURE = 28;
const SMALL_LINE = 16;
const AMOUNT = LINE + FIGURE + LINE;
const HEIGHTS = {
  source: PADDING + AMOUNT,
  intake: PADDING + LINE + FIGURE + 2 * LINE + 4 + 2 * SMALL_LINE,
  refused: PADDING + 2 * LINE,
  store: PADDING + AMOUNT,
  pages: PADDING + LINE + 4 * SMALL_LINE,
  noRecipe: PADDING + LINE + 2 * SMALL_LINE,
};

/** Approximate character widths in px. */
const NAME_CHAR = 7.8;
const FIGURE_CHAR = 7.3;
const WORD_CHAR = 7;
const BOX_MARGIN = 24;
const PART_GAP = 12;

/** The states shown in a recipe's box; the first in words, the others as shapes. */
export function shownStates({ states }: FlowRecipe): RenditionState[] {
  return SHOWN_STATES.filter((state) => states[state] > 0);
}

const SHOWN_STATES: RenditionState[] = ['failed', 'due', 'outdated', 'fresh', 'on-request'];

/** The height of a recipe's box in which nothing is cut off. */
function recipeHeight(recipe: FlowRecipe, width: number): number {
  const inner = width - BOX_MARGIN;
  const name = recipe.name.length * NAME_CHAR;
  const bytes = formatBytes(recipe.bytes).length * FIGURE_CHAR;
  const nameLines = name > inner ? 3 : name + PART_GAP + bytes > inner ? 2 : 1;
  const parts = shownStates(recipe).map(
    (state, index) =>
      16 +
      String(recipe.states[state]).length * FIGURE_CHAR +
      (index === 0 ? 6 + state.length * WORD_CHAR : 0),
  );
  let lines = 1;
  let used = 0;
  for (const part of parts) {
    if (used > 0 && used + part > inner) {
      lines += 1;
      used = 0;
    }
    used += part + PART_GAP;
  }
  return PADDING + (nameLines + lines) * LINE;
}

/** Lays out the joints of the map in six columns, in the order of the work, and the streams between them. */
export function layOutFlow(flow: Flow, size: { width: number; height: number }): FlowLayout {
  const boxes = placeBoxes(flow, size);
  return { boxes, streams: drawStreams(flow, boxes) };
}

/** A box of a column: its id, and its height in px. */
type Entry = [id: string, height: number];

function placeBoxes(flow: Flow, { width, height }: { width: number; height: number }): Map<string, Box> {
  const pitch = width / (COLUMNS - GAP_SHARE);
  const column = pitch * (1 - GAP_SHARE);
  const middle = height / 2;
  const boxes = new Map<string, Box>();
  const stack = (index: number, entries: readonly Entry[], { centre = middle, gap = ROW_GAP } = {}) => {
    const total = sum(entries.map(([, tall]) => tall)) + gap * (entries.length - 1);
    let y = centre - total / 2;
    for (const [id, tall] of entries) {
      boxes.set(id, { id, x: index * pitch, y, width: column, height: tall });
      y += tall + gap;
    }
  };
  stack(
    0,
    flow.sources.map(({ from }): Entry => [`source:${from}`, HEIGHTS.source]),
    { gap: gapFor(flow.sources.length * HEIGHTS.source, flow.sources.length, height) },
  );
  stack(1, [['intake', HEIGHTS.intake]]);
  stack(2, [['library', libraryHeight(flow)]]);
  const recipes = recipeEntries(flow, column, height - CREST_ROOM);
  stack(3, recipes.entries, { centre: middle + CREST_ROOM / 2 - LEAST_ROW_GAP / 2, gap: recipes.gap });
  stack(
    4,
    flow.stores.map(({ store }): Entry => [`store:${store}`, HEIGHTS.store]),
  );
  stack(5, [['pages', HEIGHTS.pages]]);
  const intake = boxes.get('intake');
  if (intake) boxes.set('refused', refusedBelow(intake));
  return boxes;
}

function libraryHeight({ kinds, library, verdicts }: Flow): number {
  const isSomeGone = library.items < verdicts.accepted + verdicts.warned;
  return PADDING + AMOUNT + 8 + LINE * (kinds.length + (isSomeGone ? 2 : 0));
}

/** The recipes of a column with `room` px; in a low window each box is shortened in proportion. */
function recipeEntries(flow: Flow, column: number, room: number): { entries: Entry[]; gap: number } {
  const drawn = drawnRecipes(flow.recipes);
  if (drawn.length === 0) return { entries: [['recipes', HEIGHTS.noRecipe]], gap: ROW_GAP };
  const natural = sum(drawn.map((recipe) => recipeHeight(recipe, column)));
  const shrinkage = Math.min(1, (room - LEAST_ROW_GAP * drawn.length) / Math.max(1, natural));
  return {
    entries: drawn.map((recipe) => [`recipe:${recipe.name}`, recipeHeight(recipe, column) * shrinkage]),
    gap: gapFor(natural * shrinkage, drawn.length, room),
  };
}

function refusedBelow({ x, y, width, height }: Box): Box {
  return { id: 'refused', x, y: y + height + 44, width, height: HEIGHTS.refused };
}

function sum(values: readonly number[]): number {
  return values.reduce((total, value) => total + value, 0);
}

/** The gap between the boxes of a column: wider where there is space, narrower where there is not. */
function gapFor(tall: number, count: number, room: number): number {
  if (count < 2) return ROW_GAP;
  return Math.min(ROW_GAP * 1.6, Math.max(LEAST_ROW_GAP, (room - tall) / (count - 1)));
}

type BreadthOf = (items: number) => number;

function drawStreams(flow: Flow, boxes: ReadonlyMap<string, Box>): Stream[] {
  const taken = sum(flow.sources.map(({ amount }) => amount.items));
  const most = Math.max(1, taken, flow.library.items, ...flow.stores.map(({ amount }) => amount.items));
  const breadthOf = scaleSqrt().domain([0, most]).range([2, 40]);
  const links: Link[] = [
    ...flow.sources.map(({ from, amount }, index) => ({
      from: `source:${from}`,
      to: 'intake',
      items: amount.items,
      toAt: spread(index, flow.sources.length, 0.3, 0.7),
    })),
    { from: 'intake', to: 'library', items: taken },
    ...recipeLinks(flow),
    ...flow.stores.map(({ store }) => ({ from: `store:${store}`, to: 'pages', items: 0 })),
  ];
  return [
    ...links.flatMap((link) => joinBoxes(link, boxes, breadthOf)),
    ...originalsStreams(flow, boxes, breadthOf),
    ...refusedStream(boxes, flow.verdicts.refused, breadthOf),
  ];
}

/** A stream from the right side of one box to the left side of another. */
interface Link {
  from: string;
  to: string;
  items: number;
  /** Where it starts and ends, from 0 at the top to 1; defaults to the middle. */
  fromAt?: number;
  toAt?: number;
  tone?: Stream['tone'];
  isFlowing?: boolean;
}

function recipeLinks({ recipes, stores, runs }: Flow): Link[] {
  const drawn = drawnRecipes(recipes);
  return drawn.flatMap(({ name, states }, index): Link[] => {
    const made = states.fresh + states.outdated;
    const at = spread(index, drawn.length, 0.4, 0.85);
    const box = `recipe:${name}`;
    const isFlowing = states.due > 0 && runs.active > 0;
    return [
      { from: 'library', to: box, items: made + states.due, fromAt: at, isFlowing },
      ...stores.map(
        ({ store }): Link => ({ from: box, to: `store:${store}`, items: made, toAt: at, tone: 'oxide' }),
      ),
    ];
  });
}

function joinBoxes(link: Link, boxes: ReadonlyMap<string, Box>, breadthOf: BreadthOf): Stream[] {
  const { from, to, items, fromAt = 0.5, toAt = 0.5, tone = 'steel', isFlowing = false } = link;
  const [start, end] = [boxes.get(from), boxes.get(to)];
  if (!start || !end) return [];
  const path = linkHorizontal()({
    source: [start.x + start.width, start.y + start.height * fromAt],
    target: [end.x, end.y + end.height * toAt],
  });
  if (!path) return [];
  return [{ id: `${from} ${to}`, path, breadth: items > 0 ? breadthOf(items) : 1, tone, isFlowing }];
}

function originalsStreams(flow: Flow, boxes: ReadonlyMap<string, Box>, breadthOf: BreadthOf): Stream[] {
  const over = overRecipes(boxes);
  return flow.stores.flatMap(({ store }): Stream[] => {
    const path = over(`store:${store}`);
    const breadth = breadthOf(flow.library.items);
    return path ? [{ id: `originals ${store}`, path, breadth, tone: 'steel', isFlowing: false }] : [];
  });
}

/** The originals go to the store above the recipes, because they pass through none. */
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

/** Refused files leave the intake downwards. */
function refusedStream(boxes: ReadonlyMap<string, Box>, refused: number, breadthOf: BreadthOf): Stream[] {
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
