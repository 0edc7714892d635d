import { formatBytes } from '@uniferum/core/intake';
import type { Asset, AssetRendition } from '@uniferum/core/library';
import { pictureSnippet } from '@uniferum/core/recipes';
import { CopyButton } from '../ui/copy-button.js';
import { StateMark } from '../ui/state-mark.js';

/** An asset's renditions, on its line. */
export function RenditionStage({ asset }: { asset: Asset }) {
  const mains = asset.renditions.filter(({ variant }) => variant === null);
  if (mains.length === 0) return <p className="text-soft">No recipe applies to it.</p>;
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
