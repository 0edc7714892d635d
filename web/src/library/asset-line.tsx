import { type Asset, type AssetRendition, formatBytes, pictureSnippet, TEXT_FIELDS } from '@uniferum/core';
import { ArrowUpRight, Download, PencilLine, Replace, Trash2, X } from 'lucide-react';
import { type ReactNode, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { IconButton } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { CopyButton } from '../ui/copy-button.js';
import { formatMoment } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { EditAssetDialog, RemoveAssetDialog } from './asset-dialogs.js';
import { AssetThumb, sheetRatio } from './asset-thumb.js';
import { useAsset, useVersions } from './hooks.js';
import { ReplaceAssetDialog } from './replace-dialog.js';
import { VersionsDialog } from './versions-dialog.js';

const THUMB_HEIGHT = 132;

/** The chosen asset as its life, read from left to right: where it came from, up to where it is used. */
export function AssetLine({ id, onClose }: { id: string; onClose: () => void }) {
  const { data: asset, error } = useAsset(id);
  return (
    <section
      aria-label={asset ? `The line of ${asset.name}` : 'The line of the chosen asset'}
      className="border-t-2 border-oxide bg-surface"
    >
      {error && (
        <div className="p-4">
          <ErrorNotice error={error} />
        </div>
      )}
      {asset ? (
        <>
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
        </>
      ) : (
        <div className="h-[14.25rem]" />
      )}
    </section>
  );
}

function LineHead({ asset, onClose }: { asset: Asset; onClose: () => void }) {
  const [open, setOpen] = useState<'edit' | 'replace' | 'remove' | null>(null);
  const mayWrite = useRight('library:write');
  const mayDelete = useRight('library:delete');
  return (
    <div className="flex h-12 items-center gap-3 pr-3 pl-6">
      <h2 className="truncate text-lg font-semibold">{asset.title ?? asset.name}</h2>
      <a
        href={asset.url}
        target="_blank"
        rel="noreferrer"
        className="inline-flex min-w-0 items-center gap-1 font-mono text-xs text-soft hover:text-oxide hover:underline"
      >
        <span className="truncate">{asset.url}</span>
        <ArrowUpRight className="size-3.5 shrink-0" aria-label="Opens in a new tab" />
      </a>
      <CopyButton text={asset.url} name="Copy the complete address" />
      <div className="ml-auto flex items-center">
        <a
          href={asset.download}
          title="Download the original"
          aria-label="Download the original"
          className="inline-flex size-8 items-center justify-center rounded-[3px] text-soft hover:bg-rule/50 hover:text-ink"
        >
          <Download className="size-4" />
        </a>
        {mayWrite && (
          <IconButton name="Edit texts, name and folder" onClick={() => setOpen('edit')}>
            <PencilLine className="size-4" />
          </IconButton>
        )}
        {mayWrite && asset.kind !== 'link' && (
          <IconButton name="Replace the file at the same address" onClick={() => setOpen('replace')}>
            <Replace className="size-4" />
          </IconButton>
        )}
        {mayDelete && (
          <IconButton name="Put into the bin" onClick={() => setOpen('remove')}>
            <Trash2 className="size-4" />
          </IconButton>
        )}
        <IconButton name="Close the line" onClick={onClose}>
          <X className="size-4" />
        </IconButton>
      </div>
      {open === 'edit' && <EditAssetDialog asset={asset} isOpen onOpenChange={() => setOpen(null)} />}
      {open === 'replace' && <ReplaceAssetDialog asset={asset} isOpen onOpenChange={() => setOpen(null)} />}
      {open === 'remove' && (
        <RemoveAssetDialog asset={asset} isOpen onOpenChange={() => setOpen(null)} onRemoved={onClose} />
      )}
    </div>
  );
}

function Stages({ asset }: { asset: Asset }) {
  return (
    <ol className="flex min-w-0 flex-1">
      <Stage name="Came from" width="w-32">
        <p>
          {asset.link
            ? (asset.link.provider ?? 'elsewhere')
            : asset.origin.via === 'console'
              ? 'the console'
              : 'a script'}
        </p>
        {asset.link && (
          <a
            href={asset.link.address}
            target="_blank"
            rel="noreferrer"
            className="truncate text-oxide hover:underline"
          >
            {asset.link.address}
          </a>
        )}
        <Quiet>by {asset.origin.by}</Quiet>
        <Quiet>{formatMoment(asset.createdAt)}</Quiet>
        {asset.origin.sentAs !== asset.name && <Quiet>as {asset.origin.sentAs}</Quiet>}
      </Stage>
      <Stage name="Verdict" width="w-32">
        <StateMark state={asset.verdict.outcome} />
        {asset.verdict.reasons.map(({ code, message }) => (
          <p key={code} className="text-xs text-soft">
            {message}
          </p>
        ))}
      </Stage>
      <Stage name="Texts" width="w-48">
        <Texts asset={asset} />
      </Stage>
      <Stage name="Versions" width="w-32">
        <Versions asset={asset} />
      </Stage>
      <Stage name="Renditions" width="w-[24rem]">
        <Renditions asset={asset} />
      </Stage>
      <Stage name="Copies" width="w-28">
        {asset.copies.map(({ store, key }) => (
          <p key={store} title={key}>
            {store}: <span className="text-soft">kept</span>
          </p>
        ))}
        <Quiet>
          <span className="figure" title="CRC-32">
            crc {asset.crc32}
          </span>
        </Quiet>
      </Stage>
      <Stage name="Uses" width="w-28" isLast>
        <Quiet>{asset.uses === null ? 'None known' : String(asset.uses)}</Quiet>
      </Stage>
    </ol>
  );
}

/** One stage, hung on the line that runs through all of them. */
function Stage({
  name,
  width,
  isLast = false,
  children,
}: {
  name: string;
  width: string;
  isLast?: boolean;
  children: ReactNode;
}) {
  return (
    <li className={classNames('relative flex shrink-0 flex-col', width, !isLast && 'grow')}>
      <span
        aria-hidden="true"
        className={classNames('absolute top-2 left-0 h-px bg-rule-strong', isLast ? 'w-3' : 'w-full')}
      />
      <span
        aria-hidden="true"
        className="absolute top-[5px] left-0 size-[7px] rounded-full border-2 border-oxide bg-surface"
      />
      <h3 className="eyebrow relative ml-3 self-start bg-surface px-1.5">{name}</h3>
      <div className="mt-1 flex min-h-0 flex-col gap-0.5 overflow-y-auto pr-5 pl-[18px] text-sm">
        {children}
      </div>
    </li>
  );
}

function Quiet({ children }: { children: ReactNode }) {
  return <p className="text-soft">{children}</p>;
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
      {asset.capturedAt && <Quiet>taken {formatMoment(asset.capturedAt)}</Quiet>}
      {missing.length > 0 && <p className="text-ochre">No {missing.join(', ')}</p>}
    </>
  );
}

function Versions({ asset }: { asset: Asset }) {
  const { data: versions = [] } = useVersions(asset.id);
  const [isOpen, setOpen] = useState(false);
  const [current] = versions;
  return (
    <>
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
          Compare with {versions.length - 1 === 1 ? 'the one' : `${versions.length - 1}`} before
        </button>
      )}
      {isOpen && <VersionsDialog asset={asset} onClose={() => setOpen(false)} />}
    </>
  );
}

function Renditions({ asset }: { asset: Asset }) {
  const mains = asset.renditions.filter(({ variant }) => variant === null);
  if (mains.length === 0) return <Quiet>No recipe applies to it.</Quiet>;
  return (
    <ul>
      {mains.map((rendition) => (
        <RenditionLine key={rendition.recipe} asset={asset} rendition={rendition} />
      ))}
    </ul>
  );
}

function RenditionLine({ asset, rendition }: { asset: Asset; rendition: AssetRendition }) {
  const { recipe, url, state, error, bytes, width, height } = rendition;
  const others = asset.renditions.filter(
    (one) => one.recipe === recipe && one.variant !== null && one.state !== 'surplus',
  );
  const snippet = pictureSnippet(asset, recipe);
  return (
    <li className="grid grid-cols-[4.75rem_4.75rem_minmax(0,1fr)_auto_auto] items-center gap-2">
      {url ? (
        <a
          href={url}
          target="_blank"
          rel="noreferrer"
          className="truncate font-medium hover:text-oxide hover:underline"
        >
          {recipe}
        </a>
      ) : (
        <span className="truncate font-medium">{recipe}</span>
      )}
      <StateMark state={state} />
      <span className="figure truncate whitespace-nowrap text-soft" title={error ?? formatBytes(bytes ?? 0)}>
        {error ?? (width && `${width} × ${height}${others.length > 0 ? ` +${others.length}` : ''}`)}
      </span>
      {snippet ? (
        <CopyButton text={snippet.html} name={`Copy the HTML of ${recipe}`} icon="code" />
      ) : (
        <span className="size-6" />
      )}
      {url ? <CopyButton text={url} name={`Copy the address of ${recipe}`} /> : <span className="size-6" />}
    </li>
  );
}
