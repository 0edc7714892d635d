import { useVirtualizer } from '@tanstack/react-virtual';
import type { Asset } from '@uniferum/core/library';
import justify from 'justified-layout';
import { type KeyboardEvent, useEffect, useMemo, useRef } from 'react';
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
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (rows[index]?.height ?? ROW_HEIGHT) + CAPTION + GAP,
    overscan: 3,
  });
  const order = useMemo(() => assets.map(({ id }) => id), [assets]);
  const items = virtual.getVirtualItems();
  const lastRow = items.at(-1)?.index ?? 0;
  // The heights of rows change with the width of the window.
  // biome-ignore lint/correctness/useExhaustiveDependencies: measuring again when the rows change is the purpose
  useEffect(() => virtual.measure(), [rows]);
  useEffect(() => {
    if (lastRow >= rows.length - 4) onNearEnd();
  }, [lastRow, rows.length, onNearEnd]);
  const move = (event: KeyboardEvent) => {
    const target = neighbour(rows, chosen, event.key);
    if (!target) return;
    event.preventDefault();
    onMove(target.asset.id);
    virtual.scrollToIndex(rows.findIndex(({ cells }) => cells.includes(target)));
  };
  return (
    <div ref={scroller} onKeyDown={move} className="h-full overflow-y-auto">
      <ul aria-label="Contact sheet" className="relative" style={{ height: virtual.getTotalSize() + GAP }}>
        {items.flatMap((item) => {
          const row = rows[item.index];
          return (row?.cells ?? []).map((cell) => (
            <SheetCell
              key={cell.asset.id}
              cell={cell}
              top={item.start + GAP}
              height={row?.height ?? ROW_HEIGHT}
              isChosen={cell.asset.id === chosen}
              onChoose={onChoose}
              order={order}
            />
          ));
        })}
      </ul>
    </div>
  );
}

interface SheetCellProps {
  cell: Cell;
  top: number;
  height: number;
  isChosen: boolean;
  onChoose: (id: string) => void;
  order: readonly string[];
}

function SheetCell({ cell: { asset, left, width }, top, height, isChosen, onChoose, order }: SheetCellProps) {
  return (
    <li className="group absolute" style={{ top, left: left + PADDING, width }}>
      <ChooseBox
        id={asset.id}
        name={asset.name}
        order={order}
        className="absolute top-1.5 left-1.5 z-10 size-6 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 checked:opacity-100"
      />
      <Draggable thing={{ kind: 'asset', id: asset.id, name: asset.name }}>
        <button
          type="button"
          aria-pressed={isChosen}
          onClick={() => onChoose(asset.id)}
          className="block w-full text-left"
        >
          <span
            className={classNames('flex', isChosen && 'outline-3 outline-offset-1 outline-oxide')}
            style={{ height }}
          >
            <AssetThumb asset={asset} heightPx={height} className="w-full" />
          </span>
          <span className={classNames('block truncate pt-0.5 text-xs', isChosen ? 'text-ink' : 'text-soft')}>
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

/** The cell to which an arrow key moves. */
function neighbour(rows: readonly SheetRow[], chosen: string | null, key: string): Cell | null {
  const cells = rows.flatMap((row) => row.cells);
  const index = cells.findIndex(({ asset }) => asset.id === chosen);
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
