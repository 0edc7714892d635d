import { isUniferumApiError } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import type { Folder } from '@uniferum/core/library';
import { useEffect } from 'react';
import { Link } from 'react-router';
import { Button } from '../ui/button.js';
import { Checkbox, Select } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { useShortcut } from '../ui/use-shortcut.js';
import { AssetLine } from './asset-line.js';
import { AssetTable } from './asset-table.js';
import { ContactSheet, cellOf } from './contact-sheet.js';
import { DragArea } from './dragging.js';
import { Facets } from './facets.js';
import { FilterLine } from './filter-line.js';
import { FolderBar } from './folder-bar.js';
import { useAssets, useFolders } from './hooks.js';
import { LayoutSwitch } from './layout-switch.js';
import type { ListingProps } from './listing.js';
import { useSelection } from './selection.js';
import { SelectionBar } from './selection-bar.js';
import { type LibraryView, useLibraryView } from './use-library-view.js';

const SORT_WORDS = [
  ['-created', 'Newest first'],
  ['created', 'Oldest first'],
  ['-captured', 'Date taken, newest'],
  ['captured', 'Date taken, oldest'],
  ['name', 'Name, A–Z'],
  ['-name', 'Name, Z–A'],
  ['-size', 'Largest first'],
  ['size', 'Smallest first'],
] as const;

/** The library: one folder as sheet or table, with the line of the selected asset below. */
export function LibraryPage() {
  const { view, show } = useLibraryView();
  const { data: folders = [], error: foldersError } = useFolders();
  const listing = useAssets(view);
  const assets = listing.data?.pages.flatMap(({ items }) => items) ?? [];
  const total = listing.data?.pages[0]?.total ?? 0;
  useLibraryKeys(view, show);
  const loadMore = () => {
    if (listing.hasNextPage && !listing.isFetchingNextPage) void listing.fetchNextPage();
  };
  return (
    <DragArea>
      <div className="flex h-full min-h-0 flex-col overflow-y-auto">
        <FolderBar folder={view.folder} folders={folders} onOpen={(path) => show({ folder: path })} />
        {foldersError && <ErrorNotice error={foldersError} />}
        <div className="flex min-h-11 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-y border-rule px-6 py-1">
          <Counts shown={assets.length} total={total} bytes={bytesOf(view, folders)} />
          <FilterLine
            q={view.q}
            error={view.q === '' ? null : listing.error}
            onSearch={(q) => show({ q, asset: null })}
          />
          <Controls view={view} show={show} />
        </div>
        {view.hasFacets && !listing.error && (
          <Facets q={view.q} folder={view.folder} deep={view.deep} onSearch={(q) => show({ q })} />
        )}
        <SelectionBar view={view} total={total} />
        <section aria-label={`Assets of ${view.folder}`} className="min-h-40 flex-1">
          <Found
            view={view}
            error={listing.error}
            isEmpty={!listing.isPending && total === 0}
            assets={assets}
            chosen={view.asset}
            onChoose={(id) => show({ asset: view.asset === id ? null : id })}
            onMove={(id) => show({ asset: id })}
            onNearEnd={loadMore}
          />
        </section>
        {view.asset && <AssetLine id={view.asset} onClose={() => show({ asset: null })} />}
      </div>
    </DragArea>
  );
}

type Show = (change: Partial<LibraryView>) => void;

/** The library's shortcuts; a new search clears the selection. */
function useLibraryKeys(view: LibraryView, show: Show) {
  const selection = useSelection();
  // What was chosen belongs to what was found.
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new search begins without a choice
  useEffect(() => selection.clear(), [view.folder, view.q, view.deep]);
  useShortcut('x', ({ target }) => {
    const asset = cellOf(target) ?? view.asset;
    if (asset) selection.toggle(asset);
  });
  useShortcut('a', () => selection.chooseAll());
  useShortcut('c', () => show({ hasFacets: !view.hasFacets }));
  useShortcut('v', () => show({ layout: view.layout === 'sheet' ? 'table' : 'sheet' }));
  useShortcut('escape', () => {
    if (view.asset) show({ asset: null });
    else selection.clear();
  });
}

/** The total size shown; null for a filtered part of a folder, which is not summed. */
function bytesOf({ folder: path, q, deep }: LibraryView, folders: readonly Folder[]): number | null {
  const folder = folders.find((one) => one.path === path);
  if (!folder || q !== '') return null;
  return deep ? folder.deepBytes : folder.bytes;
}

interface FoundProps extends ListingProps {
  view: LibraryView;
  error: unknown;
  isEmpty: boolean;
}

function Found({ view, error, isEmpty, ...listing }: FoundProps) {
  if (error && !isFilterFault(error))
    return (
      <div className="p-6">
        <ErrorNotice error={error} />
      </div>
    );
  if (isEmpty)
    return (
      <div className="p-6">
        {view.q === '' ? <NothingYet folder={view.folder} /> : <NothingFound view={view} />}
      </div>
    );
  return view.layout === 'sheet' ? <ContactSheet {...listing} /> : <AssetTable {...listing} />;
}

function NothingFound({ view: { folder, q } }: { view: LibraryView }) {
  return (
    <EmptyPlace
      title="No results"
      action={
        folder !== '/' && <TextLink to={`/library?q=${encodeURIComponent(q)}`}>Search all folders</TextLink>
      }
    >
      No asset in {folder} matches <code className="font-mono text-xs">{q}</code>. Remove a condition, or
      search all folders.
    </EmptyPlace>
  );
}

function NothingYet({ folder }: { folder: string }) {
  return (
    <EmptyPlace
      title="This folder is empty"
      action={
        <Link
          to={`/intake?folder=${encodeURIComponent(folder)}`}
          className="inline-flex h-8 items-center rounded-[3px] border border-oxide bg-oxide px-3 text-sm font-medium text-oxide-ink"
        >
          Import files
        </Link>
      }
    >
      Files imported into {folder} appear here with their renditions.
    </EmptyPlace>
  );
}

function Counts({ shown, total, bytes }: { shown: number; total: number; bytes: number | null }) {
  return (
    <p className="flex items-baseline gap-3">
      <span>
        <span className="figure text-ink">{formatNumber(shown)}</span> of{' '}
        <span className="figure text-ink">{formatNumber(total)}</span>
      </span>
      {bytes !== null && <span className="figure text-soft">{formatBytes(bytes)}</span>}
    </p>
  );
}

function Controls({ view, show }: { view: LibraryView; show: Show }) {
  return (
    <div className="ml-auto flex flex-wrap items-center gap-x-3 gap-y-1">
      <Button
        look="quiet"
        aria-pressed={view.hasFacets}
        title="Facets: the results by kind, type, keyword, credit and month (c)"
        onClick={() => show({ hasFacets: !view.hasFacets })}
      >
        Facets
      </Button>
      <Checkbox
        label="Include subfolders"
        checked={view.deep}
        onChange={(event) => show({ deep: event.target.checked })}
      />
      <OrderChoice view={view} show={show} />
      <LayoutSwitch layout={view.layout} onChange={(layout) => show({ layout })} />
    </div>
  );
}

function OrderChoice({ view, show }: { view: LibraryView; show: Show }) {
  return (
    <Select
      aria-label="Order"
      className="h-8 w-40"
      value={view.sort}
      onChange={(event) =>
        show({ sort: SORT_WORDS.find(([sort]) => sort === event.target.value)?.[0] ?? view.sort })
      }
    >
      {SORT_WORDS.map(([sort, words]) => (
        <option key={sort} value={sort}>
          {words}
        </option>
      ))}
    </Select>
  );
}

/** A syntax error is shown at the filter input. */
function isFilterFault(error: unknown): boolean {
  return isUniferumApiError(error) && (error.problem.errors?.some(({ field }) => field === 'q') ?? false);
}
