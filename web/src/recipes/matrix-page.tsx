import { useVirtualizer } from '@tanstack/react-virtual';
import { formatBytes } from '@uniferum/core/intake';
import { type MatrixRow, RENDITION_STATES, type RenditionState } from '@uniferum/core/recipes';
import { useEffect, useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { libraryAddress } from '../library/address.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Input } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { Popup } from '../ui/popup.js';
import { StateMark } from '../ui/state-mark.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useMatrix, useRecipes, useStory } from './hooks.js';
import { RebuildDialog } from './rebuild-dialog.js';
import { RecipesViews } from './recipes-views.js';

const ROW_PX = 40;

/** Every file with what each recipe made of it. */
export function MatrixPage() {
  const [search, setSearch] = useSearchParams();
  const state = RENDITION_STATES.find((one) => one === search.get('state')) ?? null;
  const q = search.get('q') ?? '';
  const [words, setWords] = useState(q);
  const [isRebuilding, setRebuilding] = useState(false);
  const settled = useDebounced(words, 300);
  const { data, error, hasNextPage, isFetchingNextPage, fetchNextPage } = useMatrix({
    q: settled,
    ...(state && { state }),
  });
  const { data: recipes = [] } = useRecipes();
  const mayWrite = useRight('recipes:write');
  const rows = data?.pages.flatMap(({ items }) => items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  const choose = (next: RenditionState | null) =>
    setSearch({ ...(next && { state: next }), ...(words && { q: words }) }, { replace: true });
  const counts = (one: RenditionState) => recipes.reduce((sum, { renditions }) => sum + renditions[one], 0);
  const query = { ...(settled && { q: settled }), ...(state && { state }) };
  return (
    <Page
      title="Recipes"
      note={data && `${formatNumber(rows.length)} of ${formatNumber(total)} files`}
      actions={
        <>
          <AsCode
            code={{
              method: 'GET',
              path: `/recipes/matrix?${new URLSearchParams(query)}`,
              client: `const { items, total } = await uniferum.recipes.matrix(${JSON.stringify(query)});`,
            }}
          />
          {mayWrite && (
            <Button look="main" onClick={() => setRebuilding(true)}>
              Rehearse a rebuild
            </Button>
          )}
        </>
      }
    >
      <RecipesViews />
      <div className="flex h-11 items-center gap-5 border-b border-rule px-6">
        <div role="radiogroup" aria-label="Only files with a rendition that is" className="flex gap-4">
          {([null, ...RENDITION_STATES] as const).map((one) => (
            <label key={one ?? 'any'} className="inline-flex items-center gap-1.5 text-sm">
              <input
                type="radio"
                name="state"
                className="accent-oxide"
                checked={state === one}
                onChange={() => choose(one)}
              />
              {one === null ? 'any state' : <StateMark state={one} count={counts(one)} />}
            </label>
          ))}
        </div>
        <Input
          aria-label="Filter"
          className="ml-auto w-72 font-mono"
          placeholder="kind:image folder:/lights"
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
      </div>
      {error && <ErrorNotice error={error} />}
      {data && rows.length === 0 ? (
        <div className="p-6">
          <EmptyPlace title="No such file">
            {state === null
              ? 'Files to which a recipe applies are listed here.'
              : 'No file has a rendition in this state.'}
          </EmptyPlace>
        </div>
      ) : (
        <Grid
          rows={rows}
          recipes={data?.pages[0]?.recipes.filter((name) => rows.some(({ cells }) => name in cells)) ?? []}
          hasMore={hasNextPage && !isFetchingNextPage}
          onMore={() => void fetchNextPage()}
        />
      )}
      {isRebuilding && (
        <RebuildDialog recipes={recipes} start={{ q: settled }} onClose={() => setRebuilding(false)} />
      )}
    </Page>
  );
}

function Grid({
  rows,
  recipes,
  hasMore,
  onMore,
}: {
  rows: readonly MatrixRow[];
  recipes: readonly string[];
  hasMore: boolean;
  onMore: () => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 8,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last >= rows.length - 10) onMore();
  }, [hasMore, last, rows.length, onMore]);
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
        <div className="relative" role="rowgroup" style={{ height: virtual.getTotalSize() }}>
          {items.map(({ index, start }) => {
            const row = rows[index];
            if (!row) return null;
            return (
              <div
                key={row.asset.id}
                role="row"
                aria-rowindex={index + 2}
                style={{ ...columns, height: ROW_PX, transform: `translateY(${start}px)` }}
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
          })}
        </div>
      </div>
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

/** Why a rendition is in its state: one press away from it. */
function Story({
  row,
  recipe,
  files,
  bytes,
}: {
  row: MatrixRow;
  recipe: string;
  files: number;
  bytes: number;
}) {
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
