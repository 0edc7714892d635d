import type { Flow } from '@uniferum/core/flow';
import { scaleSqrt } from 'd3-scale';
import { linkHorizontal } from 'd3-shape';
import { type Box, drawnRecipes, type Stream, sum } from './drawn.js';

type BreadthOf = (items: number) => number;

/** Draws the streams between the boxes of the map. */
export function drawStreams(flow: Flow, boxes: ReadonlyMap<string, Box>): Stream[] {
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
    ...copyStreams(flow, boxes, breadthOf),
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

/** Copies go from the home store down to the stores below it. */
function copyStreams(
  { copies, stores }: Flow,
  boxes: ReadonlyMap<string, Box>,
  breadthOf: BreadthOf,
): Stream[] {
  const home = boxes.get(`store:${stores[0]?.store}`);
  return copies.flatMap(({ store, amount, waiting }, index): Stream[] => {
    const box = boxes.get(`copies:${store}`);
    if (!home || !box) return [];
    // Beside each other, so that each can be followed behind the boxes it passes.
    const x = home.x + home.width * spread(index, copies.length, 0.3, 0.7);
    return [
      {
        id: `copies ${store}`,
        path: `M${x},${home.y + home.height}L${x},${box.y}`,
        breadth: amount.items > 0 ? Math.min(breadthOf(amount.items), MAX_COPY_BREADTH) : 1,
        tone: 'steel',
        isFlowing: waiting > 0,
      },
    ];
  });
}

const MAX_COPY_BREADTH = 16;

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
