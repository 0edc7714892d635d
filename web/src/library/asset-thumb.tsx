import type { Asset, Kind } from '@uniferum/core/library';
import { sheetRendition } from '@uniferum/core/pages';
import {
  AudioLines,
  FileText,
  Film,
  Image as ImageIcon,
  Link2,
  type LucideIcon,
  Package,
  PenTool,
} from 'lucide-react';
import { classNames } from '../ui/class-names.js';
import { Picture } from '../ui/picture.js';

const ICONS: Record<Kind, LucideIcon> = {
  image: ImageIcon,
  document: FileText,
  audio: AudioLines,
  video: Film,
  vector: PenTool,
  archive: Package,
  link: Link2,
};

interface AssetThumbProps {
  asset: Asset;
  heightPx: number;
  className?: string;
}

/** An asset's picture, or a sheet with its kind when there is none. */
export function AssetThumb({ asset, heightPx, className }: AssetThumbProps) {
  const src = sheetRendition(asset, heightPx * Math.min(window.devicePixelRatio, 2));
  if (src) return <Picture src={src} placeholder={asset.placeholder} alt="" className={className ?? ''} />;
  const Icon = ICONS[asset.kind];
  const extension = asset.name.slice(asset.name.lastIndexOf('.') + 1);
  return (
    <span
      className={classNames(
        'flex flex-col items-center justify-center gap-1 border border-rule bg-raised text-soft',
        className,
      )}
    >
      <Icon className="size-5" aria-hidden="true" strokeWidth={1.5} />
      {heightPx > 60 && <span className="figure max-w-full truncate px-1">{extension}</span>}
    </span>
  );
}

/** The aspect ratio in the contact sheet: a picture's own, or that of a sheet of paper or a strip. */
export function sheetRatio(asset: Asset): number {
  if (asset.width && asset.height) return Math.min(Math.max(asset.width / asset.height, 0.4), 3.5);
  return asset.kind === 'audio' || asset.kind === 'video' ? 1.6 : 0.71;
}
