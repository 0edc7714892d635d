import { formatBytes } from '@uniferum/core/intake';
import { type Asset, TEXT_FIELDS } from '@uniferum/core/library';
import { useState } from 'react';
import type { LineStage } from '../console/station.js';
import { formatCaptured, formatMoment } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { useVersions } from './hooks.js';
import { Quiet } from './line-stage.js';
import { VersionsDialog } from './versions-dialog.js';

function Source({ asset: { link, origin, createdAt, name } }: { asset: Asset }) {
  return (
    <>
      <p>{link ? (link.provider ?? 'elsewhere') : origin.via === 'console' ? 'the console' : 'a script'}</p>
      {link && (
        <a
          href={link.address}
          target="_blank"
          rel="noreferrer"
          className="truncate text-oxide hover:underline"
        >
          {link.address}
        </a>
      )}
      <Quiet>by {origin.by}</Quiet>
      <Quiet>{formatMoment(createdAt)}</Quiet>
      {origin.sentAs !== name && <Quiet>as {origin.sentAs}</Quiet>}
    </>
  );
}

function VerdictOf({ asset: { verdict } }: { asset: Asset }) {
  return (
    <>
      <StateMark state={verdict.outcome} />
      {verdict.reasons.map(({ code, message }) => (
        <p key={code} className="text-xs text-soft">
          {message}
        </p>
      ))}
    </>
  );
}

const TEXT_WORDS: Record<(typeof TEXT_FIELDS)[number], string> = {
  title: 'title',
  alt: 'alternative text',
  caption: 'caption',
  credit: 'credit',
  keywords: 'keywords',
};

function Texts({ asset }: { asset: Asset }) {
  const missing = TEXT_FIELDS.filter((field) => (asset[field] ?? '').length === 0).map(
    (field) => TEXT_WORDS[field],
  );
  return (
    <>
      {asset.alt && <p>{asset.alt}</p>}
      {asset.credit && <Quiet>{asset.credit}</Quiet>}
      {asset.capturedLocal && <Quiet>taken {formatCaptured(asset.capturedLocal)}</Quiet>}
      {missing.length > 0 && <p className="text-ochre">No {missing.join(', ')}</p>}
    </>
  );
}

function Versions({ asset }: { asset: Asset }) {
  const { data: versions = [], error } = useVersions(asset.id);
  const [isOpen, setOpen] = useState(false);
  const [current] = versions;
  return (
    <>
      <FailureLine error={error} />
      {current && (
        <div>
          <p>
            {current.n} <span className="text-soft">{current.mime}</span>
          </p>
          <p className="figure text-soft">{current.width && `${current.width} × ${current.height}`}</p>
          <p className="figure text-soft">{formatBytes(current.bytes)}</p>
        </div>
      )}
      {versions.length > 1 && (
        <button type="button" className="text-left text-oxide hover:underline" onClick={() => setOpen(true)}>
          {versions.length === 2 ? 'Compare with previous version' : `Compare ${versions.length} versions`}
        </button>
      )}
      {isOpen && <VersionsDialog asset={asset} onClose={() => setOpen(false)} />}
    </>
  );
}

/** The stages of an asset's life in the library itself. */
export const LIBRARY_STAGES: readonly LineStage[] = [
  { name: 'Source', order: 10, width: 'w-[5.75rem]', Content: Source },
  { name: 'Verdict', order: 20, width: 'w-24', Content: VerdictOf },
  { name: 'Texts', order: 30, width: 'w-32', Content: Texts },
  { name: 'Versions', order: 40, width: 'w-[7.5rem]', Content: Versions },
];
