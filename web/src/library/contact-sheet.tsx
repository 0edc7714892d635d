import { useVirtualizer } from '@tanstack/react-virtual';
import type { Asset } from '@uniferum/core/library';
import justify from 'justified-layout';
import { type KeyboardEvent, type RefObject, useEffect, useMemo, useRef, useState } from 'react';
import { classNames } from '../ui/class-names.js';
import { useElementSize } from '../ui/use-element-size.js';
import { AssetThumb, sheetRatio } from './asset-thumb.js';
import { ChooseBox } from './choose-box.js';
import { Draggable } from './dragging.js';
import type { ListingProps } from './listing.js';

const ROW_HEIGHT = 172;
const GAP = 6;
/** The height of the caption below each picture. */
const CAPTION = 22;
const PADDING = 24;

interface Cell {
  asset: Asset;
  left: number;
  width: number;
}

interface SheetRow {
  cells: Cell[];
  height: number;
}

/** All pictures in rows of equal height, in their true proportions; only visible rows are rendered. */
export function ContactSheet({ assets, chosen, onChoose, onMove, onNearEnd }: ListingProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const { width } = useElementSize(scroller);
  const rows = useMemo(() => layOut(assets, width - PADDING * 2), [assets, width]);
  const virtual = useVirtualRows(rows, scroller, onNearEnd);
  const order = useMemo(() => assets.map(({ id }) => id), [assets]);
  const focus = useCellFocus(rows, scroller, (row) => virtual.scrollToIndex(row));
  const move = (event: KeyboardEvent) => {
    const from = cellOf(event.target);
    const target = from && neighbour(rows, from, event.key);
    if (!target) return;
    event.preventDefault();
    focus.moveTo(target.asset.id);
    // An open line follows the focus.
    if (chosen !== null) onMove(target.asset.id);
  };
  return (
    <div ref={scroller} onKeyDown={move} className="h-full overflow-y-auto">
      <ul aria-label="Contact sheet" className="relative" style={{ height: virtual.getTotalSize() + GAP }}>
        {virtual.getVirtualItems().flatMap(({ index, start }) => {
          const row = rows[index];
          return (row?.cells ?? []).map((cell) => (
            <SheetCell
              key={cell.asset.id}
              cell={cell}
              top={start + GAP}
              height={row?.height ?? ROW_HEIGHT}
              isChosen={cell.asset.id === chosen}
              isTabStop={cell.asset.id === (focus.id ?? chosen ?? order[0])}
              onChoose={onChoose}
              onFocus={focus.setId}
              order={order}
            />
          ));
        })}
      </ul>
    </div>
  );
}

/** Virtualises rows, and reports when the end of the list is near. */
function useVirtualRows(
  rows: readonly SheetRow[],
  scroller: RefObject<HTMLDivElement | null>,
  onNearEnd: () => void,
) {
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (rows[index]?.height ?? ROW_HEIGHT) + CAPTION + GAP,
    overscan: 3,
  });
  const lastRow = virtual.getVirtualItems().at(-1)?.index ?? 0;
  // The heights of rows change with the width of the window.
  // biome-ignore lint/correctness/useExhaustiveDependencies: measuring again when the rows change is the purpose
  useEffect(() => virtual.measure(), [rows]);
  useEffect(() => {
    if (lastRow >= rows.length - 4) onNearEnd();
  }, [lastRow, rows.length, onNearEnd]);
  return virtual;
}

/** The cell that has the focus, or gets it once its row is rendered. The sheet is one tab stop; arrows move within it. */
function useCellFocus(
  rows: readonly SheetRow[],
  scroller: RefObject<HTMLDivElement | null>,
  scrollToRow: (row: number) => void,
) {
  const [id, setId] = useState<string | null>(null);
  const awaited = useRef<string | null>(null);
  // After each rendering, because the row may be rendered only after the sheet has scrolled to it.
  useEffect(() => {
    // Not `id`: an effect of an earlier rendering may run after the key was pressed.
    if (awaited.current === null) return;
    const cell = scroller.current?.querySelector<HTMLElement>(`[data-cell="${awaited.current}"] button`);
    if (!cell) return;
    awaited.current = null;
    cell.focus({ preventScroll: true });
  });
  const moveTo = (next: string) => {
    awaited.current = next;
    setId(next);
    scrollToRow(rows.findIndex(({ cells }) => cells.some(({ asset }) => asset.id === next)));
  };
  return { id, setId, moveTo };
}

/** The id of the asset whose cell an event comes from; null for anything else. */
export function cellOf(target: EventTarget | null): string | null {
  return target instanceof Element
    ? (target.closest('[data-cell]')?.getAttribute('data-cell') ?? null)
    : null;
}

interface SheetCellProps {
  cell: Cell;
  top: number;
  height: number;
  isChosen: boolean;
  isTabStop: boolean;
  onChoose: (id: string) => void;
  onFocus: (id: string) => void;
  order: readonly string[];
}

function SheetCell(props: SheetCellProps) {
  const { cell, top, height, isChosen, isTabStop, onChoose, onFocus, order } = props;
  const { asset, left, width } = cell;
  return (
    <li data-cell={asset.id} className="group absolute" style={{ top, left: left + PADDING, width }}>
      <ChooseBox
        id={asset.id}
        name={asset.name}
        order={order}
        className="absolute top-1.5 left-1.5 z-10 size-6 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 checked:opacity-100"
      />
      <Draggable thing={{ kind: 'asset', id: asset.id, name: asset.name }}>
        <button
          type="button"
          tabIndex={isTabStop ? 0 : -1}
          aria-pressed={isChosen}
          onFocus={() => onFocus(asset.id)}
          onClick={() => onChoose(asset.id)}
          className="block w-full text-left"
        >
          <span
            className={classNames('flex', isChosen && 'outline-3 outline-offset-1 outline-oxide')}
            style={{ height }}
          >
            <AssetThumb asset={asset} heightPx={height} className="w-full" />
          </span>
          <span
            dir="auto"
            className={classNames('block truncate pt-0.5 text-xs', isChosen ? 'text-ink' : 'text-soft')}
          >
            {asset.name}
          </span>
        </button>
      </Draggable>
    </li>
  );
}

function layOut(assets: readonly Asset[], width: number): SheetRow[] {
  if (width <= 0 || assets.length === 0) return [];
  const { boxes } = justify(assets.map(sheetRatio), {
    containerWidth: width,
    containerPadding: 0,
    boxSpacing: GAP,
    targetRowHeight: ROW_HEIGHT,
    targetRowHeightTolerance: 0.3,
  });
  const rows = new Map<number, SheetRow>();
  for (const [index, box] of boxes.entries()) {
    const asset = assets[index];
    if (!asset) continue;
    const row = rows.get(box.top) ?? { cells: [], height: Math.round(box.height) };
    row.cells.push({ asset, left: box.left, width: box.width });
    rows.set(box.top, row);
  }
  return [...rows.values()];
}

/** The cell to which an arrow key moves from an asset's cell. */
function neighbour(rows: readonly SheetRow[], from: string, key: string): Cell | null {
  const cells = rows.flatMap((row) => row.cells);
  const index = cells.findIndex(({ asset }) => asset.id === from);
  const current = cells[index];
  if (!current) return null;
  if (key === 'ArrowRight') return cells[index + 1] ?? null;
  if (key === 'ArrowLeft') return cells[index - 1] ?? null;
  if (key !== 'ArrowDown' && key !== 'ArrowUp') return null;
  const row = rows.findIndex((one) => one.cells.includes(current));
  const target = rows[row + (key === 'ArrowDown' ? 1 : -1)];
  const middle = current.left + current.width / 2;
  const distance = (cell: Cell) => Math.abs(cell.left + cell.width / 2 - middle);
  return target ? target.cells.reduce((best, cell) => (distance(cell) < distance(best) ? cell : best)) : null;
}
