import { createColumnHelper, flexRender, getCoreRowModel, useReactTable } from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { type KeyboardEvent, useEffect, useMemo, useRef } from 'react';
import { classNames } from '../ui/class-names.js';
import { formatMoment } from '../ui/format.js';
import { StateMark } from '../ui/state-mark.js';
import { AssetThumb } from './asset-thumb.js';
import { ChooseBox } from './choose-box.js';
import type { ListingProps } from './listing.js';
import { RenditionSummary } from './rendition-summary.js';

const ROW_HEIGHT = 40;
const GRID =
  'grid grid-cols-[1rem_3rem_minmax(10rem,2fr)_minmax(8rem,1.4fr)_5.5rem_7rem_6rem_9.5rem_9rem_7rem] items-center gap-4 px-6';

const column = createColumnHelper<Asset>();

/** One line an asset, dense, with the figures in columns. Only the rows in view exist. */
// biome-ignore lint/complexity/noExcessiveLinesPerFunction: the columns of one table
export function AssetTable({ assets, chosen, onChoose, onMove, onNearEnd }: ListingProps) {
  const scroller = useRef<HTMLDivElement>(null);
  const order = useMemo(() => assets.map(({ id }) => id), [assets]);
  const columns = useMemo(() => makeColumns(onChoose, order), [onChoose, order]);
  const table = useReactTable({
    data: assets as Asset[],
    columns,
    getCoreRowModel: getCoreRowModel(),
    getRowId: ({ id }) => id,
  });
  const { rows } = table.getRowModel();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_HEIGHT,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= rows.length - 20) onNearEnd();
  }, [last, rows.length, onNearEnd]);
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
        <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
          {items.map((item) => {
            const row = rows[item.index];
            return (
              row && (
                <div
                  key={row.id}
                  role="row"
                  aria-rowindex={item.index + 2}
                  className={classNames(
                    GRID,
                    'absolute w-full border-b border-rule text-sm',
                    row.id === chosen && 'bg-oxide-wash',
                  )}
                  style={{ top: item.start, height: ROW_HEIGHT }}
                >
                  {row.getVisibleCells().map((cell) => (
                    <div
                      key={cell.id}
                      role="cell"
                      className={classNames(
                        'min-w-0',
                        cell.column.columnDef.meta === 'figure' && 'figure text-right',
                      )}
                    >
                      {flexRender(cell.column.columnDef.cell, cell.getContext())}
                    </div>
                  ))}
                </div>
              )
            );
          })}
        </div>
      </div>
    </div>
  );
}

function makeColumns(onChoose: (id: string) => void, order: readonly string[]) {
  return [
    column.display({
      id: 'choose',
      header: () => <span className="sr-only">Chosen</span>,
      cell: ({ row: { original } }) => (
        <ChooseBox id={original.id} name={original.name} order={order} className="block" />
      ),
    }),
    column.display({
      id: 'picture',
      header: () => <span className="sr-only">Picture</span>,
      cell: ({ row }) => <AssetThumb asset={row.original} heightPx={32} className="h-8 w-12" />,
    }),
    column.accessor('name', {
      header: 'Name',
      cell: ({ row, getValue }) => (
        <button
          type="button"
          className="block max-w-full truncate font-medium hover:underline"
          onClick={() => onChoose(row.original.id)}
        >
          {getValue()}
        </button>
      ),
    }),
    column.accessor('title', {
      header: 'Title',
      cell: ({ getValue }) => <span className="block truncate text-soft">{getValue()}</span>,
    }),
    column.accessor('kind', { header: 'Kind' }),
    column.display({
      id: 'pixels',
      header: 'Pixels',
      meta: 'figure',
      cell: ({ row: { original } }) => original.width && `${original.width} × ${original.height}`,
    }),
    column.accessor('bytes', {
      header: 'Size',
      meta: 'figure',
      cell: ({ getValue }) => formatBytes(getValue()),
    }),
    column.accessor('capturedAt', {
      header: 'Taken',
      cell: ({ getValue }) => (
        <span className="whitespace-nowrap text-soft">{getValue() && formatMoment(getValue() ?? '')}</span>
      ),
    }),
    column.display({
      id: 'renditions',
      header: 'Renditions',
      cell: ({ row }) => <RenditionSummary renditions={row.original.renditions} />,
    }),
    column.display({
      id: 'verdict',
      header: 'Verdict',
      cell: ({ row }) => <StateMark state={row.original.verdict.outcome} />,
    }),
  ];
}
