import { useQuery } from '@tanstack/react-query';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { pickMedia } from '@uniferum/core/pages';
import { useId, useState } from 'react';
import { uniferum } from '../../client.js';
import { AssetThumb } from '../../library/asset-thumb.js';
import { Button } from '../../ui/button.js';
import { Field, Input } from '../../ui/field.js';
import { RecipeField } from '../recipe-choice.js';
import { tellHost, useHost } from './host.js';

const POLL_MS = 1000;

/** How a chosen file is shown in the page, before it is handed over. */
export function ChosenAsset({ asset: given, onBack }: { asset: Asset; onBack: () => void }) {
  const { sizes } = useHost();
  const asset = useWithRenditions(given);
  const [recipe, setRecipe] = useState<string | null>(null);
  const [alt, setAlt] = useState(given.alt ?? '');
  const hasPicture = asset.kind === 'image' || asset.kind === 'vector';
  const isMissing = recipe !== null && !isMade(asset, recipe);
  const picked = pickMedia(asset, { recipe, alt, sizes });
  const code = useId();
  return (
    <form
      className="flex min-h-0 flex-1 flex-col"
      onSubmit={(event) => {
        event.preventDefault();
        tellHost({ type: 'pick', detail: picked });
      }}
    >
      <div className="grid min-h-0 flex-1 content-start gap-x-6 gap-y-4 overflow-y-auto p-4 sm:grid-cols-[16rem_1fr]">
        <div className="flex flex-col gap-2">
          <AssetThumb asset={asset} heightPx={190} className="h-[190px] w-full" />
          <p className="text-sm break-words" dir="auto">
            {asset.name}
          </p>
          <p className="figure text-xs text-soft">{measuresOf(asset)}</p>
        </div>
        <div className="flex min-w-0 flex-col gap-4">
          <RecipeField value={recipe} onChange={setRecipe} only={recipesOf(asset)} />
          {isMissing && (
            <p role="status" className="text-sm text-soft">
              Creating the rendition …
            </p>
          )}
          <Field
            label="Alternative text"
            hint={hasPicture ? 'Leave empty for decorative pictures.' : 'Names the file for screen readers.'}
          >
            {(props) => <Input {...props} value={alt} onChange={(event) => setAlt(event.target.value)} />}
          </Field>
          <div>
            <p id={code} className="text-sm font-medium">
              HTML
            </p>
            <pre
              role="region"
              aria-labelledby={code}
              tabIndex={0}
              className="figure mt-1 max-h-32 overflow-auto border border-rule bg-surface p-2 text-xs break-all whitespace-pre-wrap"
            >
              {picked.html}
            </pre>
          </div>
        </div>
      </div>
      <footer className="flex justify-between border-t border-rule px-4 py-3">
        <Button onClick={onBack}>Back</Button>
        <Button look="main" type="submit" disabled={isMissing}>
          Insert
        </Button>
      </footer>
    </form>
  );
}

/** A file that was just added gets its renditions in the background. */
function useWithRenditions(given: Asset): Asset {
  const { data } = useQuery({
    queryKey: ['asset', given.id],
    queryFn: ({ signal }) => uniferum.assets.get(given.id, { signal }),
    initialData: given,
    refetchInterval: ({ state }) =>
      state.data?.renditions.some((one) => one.state === 'due' && one.url === null) ? POLL_MS : false,
  });
  return data;
}

function isMade({ renditions }: Asset, recipe: string): boolean {
  return renditions.some((one) => one.recipe === recipe && one.url !== null);
}

/** Those whose renditions are there, or are being made. Until one is made on request it has no address. */
function recipesOf({ renditions }: Asset): string[] {
  const offered = renditions.filter(
    ({ state, url }) => state === 'due' || (state !== 'surplus' && url !== null),
  );
  return [...new Set(offered.map(({ recipe }) => recipe))];
}

function measuresOf({ width, height, bytes }: Asset): string {
  return [...(width && height ? [`${width} × ${height} px`] : []), formatBytes(bytes)].join(' · ');
}
