import type { Asset } from '@uniferum/core/library';
import { ArrowUpRight, Download, PencilLine, Replace, Trash2, X } from 'lucide-react';
import { Suspense, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { useComposition } from '../console/composition.js';
import { IconButton } from '../ui/button.js';
import { CopyButton } from '../ui/copy-button.js';
import { ErrorNotice } from '../ui/notice.js';
import { AssetThumb, sheetRatio } from './asset-thumb.js';
import { EditAssetDialog } from './edit-asset-dialog.js';
import { useAsset } from './hooks.js';
import { Stage } from './line-stage.js';
import { LIBRARY_STAGES } from './line-stages.js';
import { RemoveAssetDialog } from './remove-asset-dialog.js';
import { ReplaceAssetDialog } from './replace-dialog.js';

const THUMB_HEIGHT = 108;

/** The selected asset's life from left to right: from its source to its uses. */
export function AssetLine({ id, onClose }: { id: string; onClose: () => void }) {
  const { data: asset, error, isPlaceholderData } = useAsset(id);
  return (
    <section
      aria-label={asset ? `The line of ${asset.name}` : 'The line of the chosen asset'}
      className="shrink-0 border-t-2 border-oxide bg-surface"
    >
      {error && (
        <div className="p-4">
          <ErrorNotice error={error} />
        </div>
      )}
      {asset ? (
        // Until the chosen asset is read, the one before stays in view and can't be acted on.
        <div inert={isPlaceholderData} aria-busy={isPlaceholderData}>
          <LineHead asset={asset} onClose={onClose} />
          <div className="flex h-[11.25rem] overflow-x-auto px-6 pb-3">
            <div
              className="mr-6 shrink-0"
              style={{ width: Math.min(260, THUMB_HEIGHT * sheetRatio(asset)), height: THUMB_HEIGHT }}
            >
              <AssetThumb asset={asset} heightPx={THUMB_HEIGHT} className="size-full" />
            </div>
            <Stages asset={asset} />
          </div>
        </div>
      ) : (
        <div className="h-[14.25rem]" />
      )}
    </section>
  );
}

function LineHead({ asset, onClose }: { asset: Asset; onClose: () => void }) {
  return (
    <div className="flex h-12 items-center gap-3 pr-3 pl-6">
      <h2 dir="auto" className="truncate text-lg font-semibold">
        {asset.title ?? asset.name}
      </h2>
      <a
        href={asset.url}
        target="_blank"
        rel="noreferrer"
        className="inline-flex min-w-0 items-center gap-1 font-mono text-xs text-soft hover:text-oxide hover:underline"
      >
        <span className="truncate">{asset.url}</span>
        <ArrowUpRight className="size-3.5 shrink-0" aria-label="Opens in a new tab" />
      </a>
      <CopyButton text={asset.url} name="Copy the address" />
      <div className="ml-auto flex items-center">
        <LineActions asset={asset} onClose={onClose} />
        <IconButton name="Close the line" onClick={onClose}>
          <X className="size-4" />
        </IconButton>
      </div>
    </div>
  );
}

interface LineActionsProps {
  asset: Asset;
  onClose: () => void;
}

function LineActions({ asset, onClose }: LineActionsProps) {
  // A dialog stays with the asset for which it was opened, whatever the line shows meanwhile.
  const [open, setOpen] = useState<Open>(null);
  const openFor = (dialog: NonNullable<Open>['dialog']) => setOpen({ dialog, asset });
  const mayWrite = useRight('library:write');
  const mayDelete = useRight('library:delete');
  return (
    <>
      <a
        href={asset.download}
        title="Download the original"
        aria-label="Download the original"
        className="inline-flex size-8 items-center justify-center rounded-[3px] text-soft hover:bg-rule/50 hover:text-ink"
      >
        <Download className="size-4" />
      </a>
      {mayWrite && (
        <IconButton name="Edit texts, name and folder" onClick={() => openFor('edit')}>
          <PencilLine className="size-4" />
        </IconButton>
      )}
      {mayWrite && asset.kind !== 'link' && (
        <IconButton name="Replace the file at the same address" onClick={() => openFor('replace')}>
          <Replace className="size-4" />
        </IconButton>
      )}
      {mayDelete && (
        <IconButton name="Move to bin" onClick={() => openFor('remove')}>
          <Trash2 className="size-4" />
        </IconButton>
      )}
      <OpenDialog open={open} onClose={() => setOpen(null)} onRemoved={onClose} />
    </>
  );
}

type Open = { dialog: 'edit' | 'replace' | 'remove'; asset: Asset } | null;

interface OpenDialogProps {
  open: Open;
  onClose: () => void;
  onRemoved: () => void;
}

function OpenDialog({ open, onClose, onRemoved }: OpenDialogProps) {
  switch (open?.dialog) {
    case 'edit':
      return <EditAssetDialog asset={open.asset} onClose={onClose} />;
    case 'replace':
      return <ReplaceAssetDialog asset={open.asset} isOpen onOpenChange={onClose} />;
    case 'remove':
      return <RemoveAssetDialog asset={open.asset} isOpen onOpenChange={onClose} onRemoved={onRemoved} />;
    default:
      return null;
  }
}

/** The stages of the library and of all other rooms, from left to right. */
function Stages({ asset }: { asset: Asset }) {
  const { stages } = useComposition();
  const all = [...LIBRARY_STAGES, ...stages].sort((a, b) => a.order - b.order);
  return (
    <ol className="flex min-w-0 flex-1">
      {all.map(({ name, width, Content }, index) => (
        <Stage key={name} name={name} width={width} isLast={index === all.length - 1}>
          <Suspense>
            <Content asset={asset} />
          </Suspense>
        </Stage>
      ))}
    </ol>
  );
}
