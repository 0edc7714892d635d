import type { Asset } from '@uniferum/core/library';
import { useContext, useState } from 'react';
import { AssetThumb } from '../library/asset-thumb.js';
import { FolderPicker } from '../library/folder-picker.js';
import { LibraryRoot, useAssets } from '../library/hooks.js';
import { Button } from '../ui/button.js';
import { Input } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { useDebounced } from '../ui/use-debounced.js';

const TYPE = 'application/x-uniferum-asset';

/** The id of the file of the library that is dropped; null for anything else. */
export function draggedAsset(event: DragEvent): string | null {
  return event.dataTransfer?.getData(TYPE) || null;
}

interface ShelfProps {
  onPlace: (asset: Asset) => void;
  /** What is found at first, such as `kind:image`. */
  q?: string;
  /** What pressing a file does to it. */
  verb?: string;
}

/** The library beside a text: files are dragged into it, or placed at the cursor by pressing them. */
export function Shelf({ onPlace, q = '', verb = 'Place' }: ShelfProps) {
  const [typed, setTyped] = useState(q);
  const root = useContext(LibraryRoot);
  const [folder, setFolder] = useState('');
  const found = useAssets({
    q: useDebounced(typed, 250),
    folder: folder || root,
    deep: true,
    sort: '-created',
  });
  const items = found.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <div className="flex flex-col gap-3 p-4">
      <Input
        type="search"
        aria-label="Search the library"
        placeholder="Search the library"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
      />
      <FolderPicker aria-label="Folder" value={folder} onChange={setFolder} none="All folders" />
      <FailureLine error={found.error} />
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(8rem,1fr))] gap-2">
        {items.map((asset) => (
          <li key={asset.id}>
            <button
              type="button"
              draggable
              aria-label={`${verb} ${asset.name}`}
              title={asset.name}
              onDragStart={(event) => {
                event.dataTransfer.setData(TYPE, asset.id);
                event.dataTransfer.effectAllowed = 'copy';
              }}
              onClick={() => onPlace(asset)}
              className="block w-full text-left hover:outline-2 hover:outline-oxide"
            >
              <AssetThumb asset={asset} heightPx={84} className="h-[84px] w-full" />
              <span className="block truncate pt-0.5 text-xs text-soft" dir="auto">
                {asset.name}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {found.data && (
        <p role="status" className="text-sm text-soft">
          {items.length === 0
            ? 'Nothing found.'
            : `${formatNumber(items.length)} of ${formatNumber(found.data.pages[0]?.total ?? 0)}`}
        </p>
      )}
      {found.hasNextPage && (
        <Button look="quiet" onClick={() => void found.fetchNextPage()}>
          Show more
        </Button>
      )}
    </div>
  );
}
