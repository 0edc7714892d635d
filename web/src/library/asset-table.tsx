import { flexRender, getCoreRowModel, type Row, type Table, useReactTable } from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { Asset } from '@uniferum/core/library';
import { type KeyboardEvent, useEffect, useMemo, useRef } from 'react';
import { classNames } from '../ui/class-names.js';
import { makeColumns } from './asset-columns.js';
import type { ListingProps } from './listing.js';

const ROW_HEIGHT = 40;
const GRID =
  'grid grid-cols-[1rem_3rem_minmax(10rem,2fr)_minmax(8rem,1.4fr)_5.5rem_7rem_6rem_9.5rem_9rem_7rem] items-center gap-4 px-6';

/** A dense list with one row per asset; only visible rows are rendered. */
export function AssetTable({ assets, chosen, onChoose, onMove, onNearEnd }: ListingProps) {
  const order = useMemo(() => assets.map(({ id }) => id), [assets]);
  const table = useReactTable({
    data: assets as Asset[],
    columns: useMemo(() => makeColumns(onChoose, order), [onChoose, order]),
    getCoreRowModel: getCoreRowModel(),
    getRowId: ({ id }) => id,
  });
  const { rows } = table.getRowModel();
  const { scroller, virtual } = useRowsInView(rows.length, onNearEnd);
  const move = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    const index = assets.findIndex(({ id }) => id === chosen);
    const target = step === 0 || index < 0 ? undefined : assets[index + step];
    if (!target) return;
    event.preventDefault();
    onMove(target.id);
    virtual.scrollToIndex(index + step);
  };
  return (
    <div ref={scroller} className="h-full overflow-auto" onKeyDown={move}>
      <div role="table" aria-label="Assets" aria-rowcount={rows.length + 1} className="min-w-[64rem]">
        <Heads table={table} />
        <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ index, start }) => {
            const row = rows[index];
            return row && <AssetRow key={row.id} row={row} top={start} isChosen={row.id === chosen} />;
          })}
        </div>
      </div>
    </div>
  );
}

/** Virtualises rows, and reports when the end of the list is near. */
function useRowsInView(count: number, onNearEnd: () => void) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= count - 20) onNearEnd();
  }, [last, count, onNearEnd]);
  return { scroller, virtual };
}

function Heads({ table }: { table: Table<Asset> }) {
  return (
    <div role="rowgroup" className="sticky top-0 z-10 bg-ground">
      {table.getHeaderGroups().map((group) => (
        <div
          key={group.id}
          role="row"
          className={classNames(GRID, 'h-8 border-b border-rule text-sm text-soft')}
        >
          {group.headers.map((header) => (
            <div
              key={header.id}
              role="columnheader"
              className={header.column.columnDef.meta === 'figure' ? 'text-right' : ''}
            >
              {flexRender(header.column.columnDef.header, header.getContext())}
            </div>
          ))}
        </div>
      ))}
    </div>
  );
}

interface AssetRowProps {
  row: Row<Asset>;
  /** Its offset from the top, in CSS pixels. */
  top: number;
  isChosen: boolean;
}

function AssetRow({ row, top, isChosen }: AssetRowProps) {
  return (
    <div
      role="row"
      aria-rowindex={row.index + 2}
      className={classNames(
        GRID,
        'absolute w-full border-b border-rule text-sm',
        isChosen && 'bg-oxide-wash',
      )}
      style={{ top, height: ROW_HEIGHT }}
    >
      {row.getVisibleCells().map((cell) => (
        <div
          key={cell.id}
          role="cell"
          className={classNames('min-w-0', cell.column.columnDef.meta === 'figure' && 'figure text-right')}
        >
          {flexRender(cell.column.columnDef.cell, cell.getContext())}
        </div>
      ))}
    </div>
  );
}
