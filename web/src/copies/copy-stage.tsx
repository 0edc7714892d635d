import type { CopyAnswer, CopyState } from '@uniferum/core/copies';
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
  const inState = (state: CopyState) => copies.filter((copy) => copy.state === state);
  return (
    <>
      <FailureLine error={error} />
      <ul>
        {STATES.filter((state) => inState(state).length > 0).map((state) => (
          <StateLine key={state} state={state} copies={inState(state)} />
        ))}
      </ul>
      <p className="flex flex-wrap gap-x-3">
        <button
          type="button"
          className="min-h-6 text-oxide hover:underline"
          onClick={() => setOpen('copies')}
        >
          Copies …
        </button>
        <button type="button" className="min-h-6 text-oxide hover:underline" onClick={() => setOpen('links')}>
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

const STATES = ['damaged', 'uploading', 'wanted', 'removing', 'stored'] as const;

/** The copies in one state, and the stores that have them. */
function StateLine({ state, copies }: { state: CopyState; copies: readonly CopyAnswer[] }) {
  return (
    <li>
      <StateMark state={state} count={copies.length} />
      <span className="block text-soft wrap-anywhere">
        {[...new Set(copies.map(({ store }) => store))].join(', ')}
      </span>
    </li>
  );
}
