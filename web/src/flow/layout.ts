import type { Flow } from '@uniferum/core/flow';
import { formatBytes } from '@uniferum/core/intake';
import type { RenditionState } from '@uniferum/core/recipes';
import { type Box, drawnRecipes, type FlowRecipe, type Stream, sum } from './drawn.js';
import { drawStreams } from './streams.js';

export interface FlowLayout {
  boxes: Map<string, Box>;
  streams: Stream[];
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
    [
      ...flow.stores.map(({ store }): Entry => [`store:${store}`, HEIGHTS.store]),
      ...flow.copies.map((copies): Entry => [`copies:${copies.store}`, copiesHeight(copies)]),
    ],
    { gap: flow.copies.length > 0 ? ROW_GAP * 1.6 : ROW_GAP },
  );
  stack(5, [['pages', HEIGHTS.pages]]);
  const intake = boxes.get('intake');
  if (intake) boxes.set('refused', refusedBelow(intake));
  return boxes;
}

function copiesHeight({ waiting, damaged }: Flow['copies'][number]): number {
  return HEIGHTS.store + LINE * (Number(waiting > 0) + Number(damaged > 0));
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

/** The gap between the boxes of a column: wider where there is space, narrower where there is not. */
function gapFor(tall: number, count: number, room: number): number {
  if (count < 2) return ROW_GAP;
  return Math.min(ROW_GAP * 1.6, Math.max(LEAST_ROW_GAP, (room - tall) / (count - 1)));
}
