import { useVirtualizer } from '@tanstack/react-virtual';
import { formatBytes } from '@uniferum/core/intake';
import type { MatrixRow } from '@uniferum/core/recipes';
import { type CSSProperties, useEffect, useRef } from 'react';
import { Link } from 'react-router';
import { libraryAddress } from '../library/address.js';
import { classNames } from '../ui/class-names.js';
import { ErrorNotice } from '../ui/notice.js';
import { Popup } from '../ui/popup.js';
import { StateMark } from '../ui/state-mark.js';
import { useStory } from './hooks.js';

const ROW_PX = 40;

interface MatrixGridProps {
  rows: readonly MatrixRow[];
  recipes: readonly string[];
  hasMore: boolean;
  onMore: () => void;
}

/** One row per file, one column per recipe; only visible rows are rendered. */
export function MatrixGrid({ rows, recipes, hasMore, onMore }: MatrixGridProps) {
  const { scroller, virtual } = useRowsInView(rows.length, hasMore, onMore);
  const columns = {
    gridTemplateColumns: `minmax(16rem, 1fr) repeat(${recipes.length}, minmax(7.5rem, 10rem))`,
  };
  return (
    <div
      ref={scroller}
      className="min-h-0 flex-1 overflow-auto"
      role="table"
      aria-label="Files and recipes"
      aria-rowcount={rows.length + 1}
    >
      <div className="w-max min-w-full">
        <HeadRow columns={columns} recipes={recipes} />
        <div className="relative" role="rowgroup" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ index, start }) => {
            const row = rows[index];
            return (
              row && (
                <FileRow
                  key={row.asset.id}
                  row={row}
                  line={index}
                  recipes={recipes}
                  style={{ ...columns, height: ROW_PX, transform: `translateY(${start}px)` }}
                />
              )
            );
          })}
        </div>
      </div>
    </div>
  );
}

/** Virtualises rows, and reports when the end of the list is near. */
function useRowsInView(count: number, hasMore: boolean, onMore: () => void) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 8,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last >= count - 10) onMore();
  }, [hasMore, last, count, onMore]);
  return { scroller, virtual };
}

interface HeadRowProps {
  columns: CSSProperties;
  recipes: readonly string[];
}

function HeadRow({ columns, recipes }: HeadRowProps) {
  return (
    <div
      role="row"
      style={columns}
      className="sticky top-0 z-10 grid border-b border-rule bg-ground text-sm text-soft"
    >
      <span role="columnheader" className="sticky left-0 bg-ground py-1.5 pl-6">
        File
      </span>
      {recipes.map((name) => (
        <span role="columnheader" key={name} className="px-3 py-1.5 font-mono text-xs leading-5">
          ~{name}
        </span>
      ))}
    </div>
  );
}

interface FileRowProps {
  row: MatrixRow;
  /** Its position in the list, from 0. */
  line: number;
  recipes: readonly string[];
  style: CSSProperties;
}

function FileRow({ row, line, recipes, style }: FileRowProps) {
  return (
    <div
      role="row"
      aria-rowindex={line + 2}
      style={style}
      className="absolute inset-x-0 top-0 grid items-center border-b border-rule text-sm"
    >
      <FileCell row={row} />
      {recipes.map((recipe) => (
        <span role="cell" key={recipe} className="px-3">
          <StateCell row={row} recipe={recipe} />
        </span>
      ))}
    </div>
  );
}

function FileCell({ row: { asset } }: { row: MatrixRow }) {
  return (
    <span role="rowheader" className="sticky left-0 flex h-full items-center gap-3 bg-ground pl-6">
      {asset.preview ? (
        <img src={asset.preview} alt="" loading="lazy" className="h-7 w-10 shrink-0 bg-rule object-cover" />
      ) : (
        <span className="h-7 w-10 shrink-0 bg-rule" />
      )}
      <span className="min-w-0">
        <Link
          to={`${libraryAddress(asset.folder)}?asset=${asset.id}`}
          className="block truncate font-medium hover:text-oxide hover:underline"
        >
          {asset.name}
        </Link>
        <span className="block truncate font-mono text-[11px] leading-3 text-soft">{asset.folder}</span>
      </span>
    </span>
  );
}

function StateCell({ row, recipe }: { row: MatrixRow; recipe: string }) {
  const cell = row.cells[recipe];
  if (!cell) return <span className="text-soft">–</span>;
  return (
    <Popup
      name={`Why ${row.asset.name} is ${cell.state}`}
      className="w-96 p-4"
      button={
        <button
          type="button"
          aria-label={`${row.asset.name} by ${recipe}: ${cell.state}. Explain`}
          className="inline-flex items-baseline gap-2 rounded-[3px] px-1 hover:bg-rule/60"
        >
          <StateMark state={cell.state} />
          {cell.files > 1 && <span className="figure text-soft">{cell.files}</span>}
        </button>
      }
    >
      <Story row={row} recipe={recipe} files={cell.files} bytes={cell.bytes} />
    </Popup>
  );
}

interface StoryProps {
  row: MatrixRow;
  recipe: string;
  files: number;
  bytes: number;
}

/** Explains a rendition's state, one click away from it. */
function Story({ row, recipe, files, bytes }: StoryProps) {
  const { data, error } = useStory(row.asset.id, recipe);
  if (error) return <ErrorNotice error={error} />;
  if (!data) return <p className="h-20 text-soft">…</p>;
  return (
    <div className="flex flex-col gap-2 text-sm">
      <p className="flex items-center gap-3">
        <StateMark state={data.state} />
        <span className="truncate font-mono text-xs">
          {row.asset.name} ~{recipe}
        </span>
      </p>
      {data.reasons.map(({ code, message }) => (
        <p key={code} className={classNames(data.state === 'failed' && 'text-fault')}>
          {message}
        </p>
      ))}
      <p className="text-soft">
        {data.madeBy && `Made by revision ${data.madeBy.revision} from version ${data.madeBy.version}. `}
        {files > 0 && `${files === 1 ? 'One file' : `${files} files`}, ${formatBytes(bytes)}.`}
        {data.quality !== null && ` Quality ${data.quality}.`}
        {data.workMs !== null && ` It took ${data.workMs} ms.`}
      </p>
    </div>
  );
}
