import type { BinnedAsset } from '@uniferum/client';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { AssetThumb } from './asset-thumb.js';
import { useBin, useLibraryChanges } from './hooks.js';
import { LibraryViews } from './library-views.js';

/** The bin, from which assets can be restored. */
export function BinPage() {
  const bin = useBin();
  const { restoreAsset } = useLibraryChanges();
  const [isEmptying, setEmptying] = useState(false);
  const items = bin.data?.pages.flatMap((page) => page.items) ?? [];
  const first = bin.data?.pages[0];
  return (
    <Page
      title="Bin"
      note={
        first &&
        first.total > 0 &&
        `${formatNumber(items.length)} of ${formatNumber(first.total)}, ${formatBytes(first.bytes)}`
      }
      actions={
        <>
          <LibraryViews />
          {items[0] && <BinActions example={items[0].id} onEmpty={() => setEmptying(true)} />}
        </>
      }
    >
      <div className="min-h-0 flex-1 overflow-y-auto border-t border-rule px-6 pb-6">
        {(bin.error ?? restoreAsset.error) && <ErrorNotice error={bin.error ?? restoreAsset.error} />}
        {first?.total === 0 && <EmptyBin />}
        <ul>
          {items.map((asset) => (
            <BinRow
              key={asset.id}
              asset={asset}
              isBusy={restoreAsset.isPending}
              onRestore={() => restoreAsset.mutate(asset.id)}
            />
          ))}
        </ul>
        {bin.hasNextPage && (
          <Button look="quiet" className="mt-2" onClick={() => bin.fetchNextPage()}>
            Show more
          </Button>
        )}
      </div>
      {isEmptying && <EmptyDialog total={first?.total ?? 0} onClose={() => setEmptying(false)} />}
    </Page>
  );
}

interface BinActionsProps {
  /** An asset id for the command line example, which restores one. */
  example: string;
  onEmpty: () => void;
}

function BinActions({ example, onEmpty }: BinActionsProps) {
  const mayDelete = useRight('library:delete');
  return (
    <>
      <AsCode
        code={{
          method: 'POST',
          path: `/assets/${example}/restore`,
          client: `for (const { id } of (await uniferum.bin.list()).items) await uniferum.assets.restore(id);`,
          command: commandLine('set', example, '--restore'),
        }}
      />
      {mayDelete && (
        <Button look="fault" onClick={onEmpty}>
          Empty bin
        </Button>
      )}
    </>
  );
}

function EmptyBin() {
  return (
    <div className="pt-6">
      <EmptyPlace title="The bin is empty" action={<TextLink to="/library">Go to the library</TextLink>}>
        Deleted assets stay here with all their versions until the bin is emptied. Restoring one also restores
        its addresses.
      </EmptyPlace>
    </div>
  );
}

interface BinRowProps {
  asset: BinnedAsset;
  isBusy: boolean;
  onRestore: () => void;
}

function BinRow({ asset, isBusy, onRestore }: BinRowProps) {
  const mayDelete = useRight('library:delete');
  return (
    <li className="grid h-12 grid-cols-[4rem_minmax(0,1fr)_minmax(0,1fr)_7rem_9rem_auto] items-center gap-4 border-b border-rule text-sm">
      <AssetThumb asset={asset} heightPx={40} className="h-10 w-16" />
      <span dir="auto" className="truncate font-medium">
        {asset.name}
      </span>
      <span className="truncate font-mono text-xs text-soft">{asset.folder.path}</span>
      <span className="figure text-right text-soft">{formatBytes(asset.bytes)}</span>
      <span className="text-soft">{formatAgo(asset.deletedAt)}</span>
      {mayDelete && (
        <Button aria-label={`Restore ${asset.name}`} disabled={isBusy} onClick={onRestore}>
          Restore
        </Button>
      )}
    </li>
  );
}

function EmptyDialog({ total, onClose }: { total: number; onClose: () => void }) {
  const { emptyBin } = useLibraryChanges();
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Permanently delete ${formatCount(total, 'asset')}?`}
      description="This can't be undone. The assets are deleted with their versions and texts, and their bytes within two days."
    >
      <FormFoot
        error={emptyBin.error}
        code={{
          method: 'POST',
          path: '/bin/empty',
          body: { olderThanDays: null },
          client: 'const { run } = await uniferum.bin.empty();\nawait uniferum.runs.wait(run.id);',
        }}
      >
        <Button
          look="fault"
          disabled={emptyBin.isPending}
          onClick={() => emptyBin.mutate(undefined, { onSuccess: onClose })}
        >
          Empty bin permanently
        </Button>
      </FormFoot>
    </Dialog>
  );
}
