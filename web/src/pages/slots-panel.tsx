import { arrayMove, useSortable } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import type { SlotAnswer } from '@uniferum/core/pages';
import { GripVertical, X } from 'lucide-react';
import { useState } from 'react';
import { AssetThumb } from '../library/asset-thumb.js';
import { Button, IconButton } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { FailureLine } from '../ui/notice.js';
import { Sortable } from '../ui/sortable.js';
import { usePageTypes } from './page-hooks.js';
import { Shelf } from './shelf.js';
import type { PageDraft } from './use-page-draft.js';

/** The named places for files on the page; their order is changed by dragging. */
export function SlotsPanel({ draft }: { draft: PageDraft }) {
  const { data: types, error } = usePageTypes();
  const slots = types?.find(({ name }) => name === draft.page.type)?.slots ?? [];
  return (
    <div className="flex flex-col gap-5 p-4">
      <FailureLine error={error} />
      {types && slots.length === 0 && <p className="text-sm text-soft">Pages of this type have no slots.</p>}
      {slots.map((slot) => (
        <Slot key={slot.name} slot={slot} draft={draft} />
      ))}
    </div>
  );
}

function Slot({ slot, draft }: { slot: SlotAnswer; draft: PageDraft }) {
  const { name, help, least, most, kinds } = slot;
  const [isAdding, setAdding] = useState(false);
  const assets = draft.slots[name] ?? [];
  const put = (next: readonly Asset[]) => draft.place({ slots: { [name]: [...next] } });
  const isFull = most !== null && assets.length >= most;
  return (
    <section aria-label={`Slot ${name}`}>
      <div className="flex items-baseline justify-between">
        <h3 className="font-semibold">{name}</h3>
        <span className="text-xs text-soft">{limitsOf(least, most)}</span>
      </div>
      {help && <p className="text-xs text-soft">{help}</p>}
      <SlotFiles assets={assets} onChange={put} />
      <Button look="quiet" disabled={isFull} onClick={() => setAdding(true)}>
        Add a file
      </Button>
      {isAdding && (
        <Dialog
          isOpen
          onOpenChange={() => setAdding(false)}
          title={`Add to ${name}`}
          description={help ?? 'Choose a file of the library.'}
        >
          <Shelf
            q={kinds.length > 0 ? kinds.map((kind) => `kind:${kind}`).join(' or ') : ''}
            onPlace={(asset) => {
              setAdding(false);
              put([...assets, asset]);
            }}
          />
        </Dialog>
      )}
    </section>
  );
}

function limitsOf(least: number, most: number | null): string {
  if (most === null) return least === 0 ? '' : `at least ${least}`;
  return least === most ? formatCount(most, 'file') : `${least} to ${formatCount(most, 'file')}`;
}

interface SlotFilesProps {
  assets: readonly Asset[];
  onChange: (assets: readonly Asset[]) => void;
}

function SlotFiles({ assets, onChange }: SlotFilesProps) {
  const ids = assets.map(({ id }) => id);
  return (
    <Sortable
      ids={ids}
      direction="vertical"
      nameOf={(id) => assets.find((asset) => asset.id === id)?.name ?? ''}
      onMove={(id, to) => onChange(arrayMove([...assets], ids.indexOf(id), to))}
    >
      <ol className="my-2 flex flex-col gap-1">
        {assets.map((asset) => (
          <SlotFile
            key={asset.id}
            asset={asset}
            onRemove={() => onChange(assets.filter(({ id }) => id !== asset.id))}
          />
        ))}
      </ol>
    </Sortable>
  );
}

function SlotFile({ asset, onRemove }: { asset: Asset; onRemove: () => void }) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id: asset.id });
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className="flex items-center gap-2 border border-rule bg-surface p-1"
    >
      <button type="button" aria-label={`Move ${asset.name}`} className="p-1" {...attributes} {...listeners}>
        <GripVertical className="size-4 text-soft" aria-hidden="true" />
      </button>
      <AssetThumb asset={asset} heightPx={40} className="h-10 w-14 shrink-0" />
      <span className="min-w-0 flex-1 truncate text-sm" dir="auto">
        {asset.name}
      </span>
      <IconButton name={`Remove ${asset.name}`} onClick={onRemove}>
        <X className="size-4" />
      </IconButton>
    </li>
  );
}
