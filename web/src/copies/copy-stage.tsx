import type { CopyAnswer } from '@uniferum/core/copies';
import type { Asset } from '@uniferum/core/library';
import { useState } from 'react';
import { Quiet } from '../library/line-stage.js';
import { FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { CopiesOfAssetDialog } from './asset-copies-dialog.js';
import { useCopies } from './hooks.js';
import { LinksDialog } from './links-dialog.js';

/** Where an asset's files are, on its line. */
export function CopyStage({ asset }: { asset: Asset }) {
  const { data: copies = [], error } = useCopies(asset.id);
  const [open, setOpen] = useState<'copies' | 'links' | null>(null);
  const stores = [...new Set(copies.map(({ store }) => store))];
  return (
    <>
      <FailureLine error={error} />
      <ul>
        {stores.map((store) => (
          <StoreLine key={store} store={store} copies={copies.filter((copy) => copy.store === store)} />
        ))}
      </ul>
      <p className="flex gap-3">
        <button type="button" className="text-oxide hover:underline" onClick={() => setOpen('copies')}>
          Copies …
        </button>
        <button type="button" className="text-oxide hover:underline" onClick={() => setOpen('links')}>
          Links …
        </button>
      </p>
      <Quiet>
        <span className="figure" title="CRC-32">
          crc {asset.crc32}
        </span>
      </Quiet>
      {open === 'copies' && <CopiesOfAssetDialog asset={asset} onClose={() => setOpen(null)} />}
      {open === 'links' && <LinksDialog asset={asset} onClose={() => setOpen(null)} />}
    </>
  );
}

/** The worst state says what the store needs. */
const ORDER = ['damaged', 'uploading', 'wanted', 'removing', 'stored'] as const;

function StoreLine({ store, copies }: { store: string; copies: readonly CopyAnswer[] }) {
  const worst = ORDER.find((state) => copies.some((copy) => copy.state === state)) ?? 'stored';
  const count = copies.filter(({ state }) => state === worst).length;
  return (
    <li className="flex items-center justify-between gap-2">
      <span className="truncate">{store}</span>
      <StateMark state={worst} count={count} />
    </li>
  );
}
