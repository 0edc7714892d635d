import { type NodeViewProps, NodeViewWrapper } from '@tiptap/react';
import { formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { sheetRendition } from '@uniferum/core/pages';
import type { ReactNode } from 'react';
import { AssetThumb } from '../library/asset-thumb.js';
import { useAsset, useAssets } from '../library/hooks.js';
import { useRecipes } from '../recipes/hooks.js';
import { classNames } from '../ui/class-names.js';
import type { GalleryAttributes, MediaAttributes } from './media-attributes.js';

const ALIGNED = {
  left: 'mr-6 w-2/5 float-left',
  right: 'ml-6 w-2/5 float-right',
  centre: 'mx-auto w-3/5',
  wide: 'w-full',
} as const;

/** A picture of the library as it stands in the text that is written. */
export function MediaView({ node, selected }: NodeViewProps) {
  const { asset: id, recipe, alt, decorative, align, caption, href } = node.attrs as MediaAttributes;
  const { data: asset, error } = useAsset(id);
  const { data: recipes } = useRecipes();
  const isUnknown = recipe !== null && recipes?.every(({ name }) => name !== recipe);
  const text = alt ?? asset?.alt ?? '';
  const needsText = asset?.kind === 'image' && !decorative && text.trim() === '';
  return (
    <NodeViewWrapper
      as="figure"
      data-drag-handle
      className={classNames('my-4', align ? ALIGNED[align] : 'w-full max-w-[36rem]')}
    >
      <div className={classNames('overflow-hidden', selected && 'outline-3 outline-offset-2 outline-oxide')}>
        {asset && <Shown asset={asset} />}
        {error && (
          <p className="border border-fault p-4 text-sm text-fault">The file is gone or in the bin.</p>
        )}
      </div>
      {caption !== '' && <figcaption className="mt-1 text-sm text-soft">{caption}</figcaption>}
      {isUnknown && (
        <p className="mt-1 text-xs text-fault">There is no recipe “{recipe}”; the original is shown.</p>
      )}
      {needsText && <p className="mt-1 text-xs text-fault">No alternative text yet</p>}
      {href !== '' && <p className="mt-1 truncate text-xs text-soft">leads to {href}</p>}
    </NodeViewWrapper>
  );
}

/** In its own proportions. */
function Shown({ asset }: { asset: Asset }) {
  const src = sheetRendition(asset, SHARP_PX);
  if (!src) return <AssetThumb asset={asset} heightPx={96} className="h-24 w-full" />;
  return (
    <img
      src={src}
      alt=""
      width={asset.width ?? undefined}
      height={asset.height ?? undefined}
      className="block h-auto w-full"
    />
  );
}

/** High enough to be sharp in the column of text. */
const SHARP_PX = 500;
const SHOWN = 12;

/** A gallery as it stands in the text that is written: what it would show now. */
export function GalleryView({ node, selected }: NodeViewProps) {
  const { layout, assets, folder, filter } = node.attrs as GalleryAttributes;
  const ids = assets.split(/\s+/).filter((id) => id !== '');
  return (
    <NodeViewWrapper
      as="figure"
      data-drag-handle
      className={classNames(
        'my-4 border border-rule p-3',
        selected && 'outline-3 outline-offset-2 outline-oxide',
      )}
    >
      <p className="eyebrow mb-2">{`Gallery in ${LAYOUT_WORDS[layout]}`}</p>
      {ids.length > 0 ? <ChosenFiles ids={ids} /> : <FoundFiles folder={folder} filter={filter} />}
    </NodeViewWrapper>
  );
}

export const LAYOUT_WORDS = { rows: 'rows', grid: 'a grid', sequence: 'a sequence' } as const;

function ChosenFiles({ ids }: { ids: readonly string[] }) {
  return (
    <Thumbs count={ids.length}>
      {ids.slice(0, SHOWN).map((id) => (
        <ChosenFile key={id} id={id} />
      ))}
    </Thumbs>
  );
}

function ChosenFile({ id }: { id: string }) {
  const { data } = useAsset(id);
  return data ? <Thumb asset={data} /> : null;
}

function FoundFiles({ folder, filter }: { folder: string; filter: string }) {
  const found = useAssets({ q: filter, folder: folder || '/', deep: true, sort: 'name' });
  const page = found.data?.pages[0];
  return (
    <Thumbs count={page?.total ?? 0}>
      {page?.items.slice(0, SHOWN).map((asset) => (
        <Thumb key={asset.id} asset={asset} />
      ))}
    </Thumbs>
  );
}

function Thumbs({ count, children }: { count: number; children: ReactNode }) {
  return (
    <>
      <div className="flex flex-wrap gap-1.5">{children}</div>
      <p className="mt-1.5 text-xs text-soft">{formatCount(count, 'file')}</p>
    </>
  );
}

function Thumb({ asset }: { asset: Asset }) {
  return <AssetThumb asset={asset} heightPx={80} className="h-20 w-28" />;
}
