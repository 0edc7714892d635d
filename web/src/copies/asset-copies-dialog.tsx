import type { CopyAnswer } from '@uniferum/core/copies';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Button } from '../ui/button.js';
import { CopyButton } from '../ui/copy-button.js';
import { Dialog } from '../ui/dialog.js';
import { formatAgo } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { ScrollRegion } from '../ui/scroll-region.js';
import { StateMark } from '../ui/state-mark.js';
import { CopiesForm } from './copies-form.js';
import { useCopies } from './hooks.js';

/** All copies of an asset's versions and renditions, and what can be done about them. */
export function CopiesOfAssetDialog({ asset, onClose }: { asset: Asset; onClose: () => void }) {
  const { data: copies, error } = useCopies(asset.id);
  const mayWrite = useRight('library:write');
  const [isChanging, setChanging] = useState(false);
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={`Copies of ${asset.name}`}
      description="Where its versions and renditions are stored. The last good copy of a file can't be dropped."
      className="w-[56rem]"
    >
      {error && <ErrorNotice error={error} />}
      <ScrollRegion label="Copies" className="h-64 border-y border-rule">
        <ul>
          {copies?.map((copy) => (
            <CopyRow
              key={`${copy.store} ${copy.key}`}
              copy={copy}
              isCurrent={copy.version === asset.version}
            />
          ))}
        </ul>
      </ScrollRegion>
      {mayWrite && (
        <div className="mt-4">
          {isChanging ? (
            <CopiesForm select={{ ids: [asset.id] }} onDone={onClose} />
          ) : (
            <Button onClick={() => setChanging(true)}>Add, drop or fetch copies …</Button>
          )}
        </div>
      )}
    </Dialog>
  );
}

function CopyRow({ copy, isCurrent }: { copy: CopyAnswer; isCurrent: boolean }) {
  const { store, rendition, version, state, bytes, bucket, key, region, access, url, checkedAt, error } =
    copy;
  return (
    <li className="grid grid-cols-[7rem_8rem_minmax(0,1fr)_6rem_1.5rem] items-start gap-3 border-b border-rule py-1.5 text-sm">
      <span className="min-w-0">
        <span className="block truncate font-medium">{store}</span>
        <span className="block text-xs text-soft">
          {access === 'public' ? 'anyone can read it' : 'private'}
        </span>
      </span>
      <span className="min-w-0">
        <span className="block truncate">
          {rendition ?? (isCurrent || version === null ? 'original' : `version ${version}`)}
        </span>
        <span className="figure block text-soft">{formatBytes(bytes)}</span>
      </span>
      <span className="min-w-0">
        <span className="block truncate font-mono text-xs leading-5" title={key} dir="ltr">
          {bucket !== null && `${bucket}/`}
          {key}
        </span>
        {error ? (
          <span className="block text-xs text-fault">{error}</span>
        ) : (
          <span className="block text-xs text-soft">
            {region ?? 'this server'}
            {checkedAt && `, checked ${formatAgo(checkedAt)}`}
          </span>
        )}
      </span>
      <StateMark state={state} />
      {url ? <CopyButton text={url} name={`Copy the address in ${store}`} /> : <span />}
    </li>
  );
}
