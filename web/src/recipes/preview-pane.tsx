import { isUniferumApiError, type Preview } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import type { Asset, Kind } from '@uniferum/core/library';
import type { PortableRecipe } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { useEffect, useState } from 'react';
import { AssetThumb, sheetRatio } from '../library/asset-thumb.js';
import { classNames } from '../ui/class-names.js';
import { CompareSlider } from '../ui/compare-slider.js';
import { Input } from '../ui/field.js';
import { ErrorNotice } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { useDebounced } from '../ui/use-debounced.js';
import { usePreview, useSamples } from './hooks.js';

interface PreviewPaneProps {
  recipe: PortableRecipe;
  isSound: boolean;
  /** Receives the steps that could not be applied to the picture. */
  onFaults: (faults: FieldError[]) => void;
}

/** Tries the recipe on a file of the user's choice: before and after with a slider, and the figures of both. */
export function PreviewPane({ recipe, isSound, onFaults }: PreviewPaneProps) {
  const { samples, samplesError, sample, words, setWords, setChosen } = useSampleChoice(recipe.kinds);
  const { steps, output } = recipe;
  const request = useDebounced(sample && isSound ? { asset: sample.id, steps, output } : null, 80);
  const { data: preview, error, isFetching } = usePreview(request);
  useEffect(() => {
    onFaults(isUniferumApiError(error) ? (error.problem.errors ?? []) : []);
  }, [error, onFaults]);
  return (
    <div className="flex min-h-56 flex-1 border-t border-rule">
      <div className="flex min-h-0 min-w-0 flex-1 flex-col px-6 py-3">
        {sample && preview ? (
          <Picture sample={sample} preview={preview} />
        ) : (
          <div className="min-h-0 flex-1 bg-rule" />
        )}
        <Samples
          samples={samples}
          chosen={sample?.id ?? null}
          words={words}
          onWords={setWords}
          onChoose={setChosen}
        />
      </div>
      <dl className="flex w-60 shrink-0 flex-col gap-3 overflow-y-auto border-l border-rule bg-surface px-5 py-3 text-sm">
        {sample && <Figures sample={sample} preview={preview ?? null} isFetching={isFetching} />}
        {error && <ErrorNotice error={error} />}
        {!isSound && <p className="text-soft">Complete the steps to see what they make.</p>}
        {samplesError && <ErrorNotice error={samplesError} />}
        {samples.length === 0 && !samplesError && (
          <p className="text-soft">
            No file of these kinds is in the library yet. <TextLink to="/intake">Import files</TextLink>
          </p>
        )}
      </dl>
    </div>
  );
}

/** Files of the recipe's kinds, and the selected one. */
function useSampleChoice(kinds: readonly Kind[]) {
  const [words, setWords] = useState('');
  const [chosen, setChosen] = useState<string | null>(null);
  const settled = useDebounced(words, 250);
  const ofKinds = kinds.map((kind) => `kind:${kind}`).join(' or ');
  const { data: samples = [], error: samplesError } = useSamples(`(${ofKinds}) ${settled}`.trim());
  const sample = samples.find(({ id }) => id === chosen) ?? samples[0] ?? null;
  return { samples, samplesError, sample, words, setWords, setChosen };
}

interface SamplesProps {
  samples: readonly Asset[];
  /** The id of the selected file. */
  chosen: string | null;
  words: string;
  onWords: (words: string) => void;
  onChoose: (id: string) => void;
}

function Samples({ samples, chosen, words, onWords, onChoose }: SamplesProps) {
  return (
    <div className="mt-2 flex items-center gap-3">
      <Input
        aria-label="Find files to try it on"
        placeholder="Try it on …"
        className="w-40 shrink-0"
        value={words}
        onChange={(event) => onWords(event.target.value)}
      />
      <ul className="flex min-w-0 gap-2 overflow-x-auto py-1" aria-label="Files to try it on">
        {samples.map((asset) => (
          <Sample key={asset.id} asset={asset} isChosen={asset.id === chosen} onChoose={onChoose} />
        ))}
      </ul>
    </div>
  );
}

interface SampleProps {
  asset: Asset;
  isChosen: boolean;
  onChoose: (id: string) => void;
}

function Sample({ asset, isChosen, onChoose }: SampleProps) {
  return (
    <li className="shrink-0">
      <button
        type="button"
        aria-pressed={isChosen}
        aria-label={`Try it on ${asset.name}`}
        title={asset.name}
        onClick={() => onChoose(asset.id)}
        className={classNames('block h-11 border-2', isChosen ? 'border-oxide' : 'border-transparent')}
        style={{ width: Math.min(80, 40 * sheetRatio(asset)) + 4 }}
      >
        <AssetThumb asset={asset} heightPx={40} className="size-full" />
      </button>
    </li>
  );
}

function Picture({ sample, preview }: { sample: Asset; preview: Preview }) {
  const isPicture = sample.kind === 'image' || sample.kind === 'vector';
  const after = { src: preview.data, alt: `${sample.name} after the steps` };
  // Pictures with different shapes cannot be overlaid, because their contents would not align.
  const isSameShape =
    sample.width !== null &&
    sample.height !== null &&
    Math.abs(preview.width / preview.height / (sample.width / sample.height) - 1) < 0.02;
  if (isPicture && isSameShape)
    return (
      <CompareSlider
        className="flex-1"
        left={{ src: sample.url, alt: `${sample.name} before` }}
        right={after}
        label="How much of the picture before the steps is shown"
      />
    );
  return (
    <div className={classNames('grid min-h-0 flex-1 gap-4', isPicture && 'grid-cols-2')}>
      {isPicture && (
        <img
          src={sample.url}
          alt={`${sample.name} before`}
          className="size-full min-h-0 bg-rule object-contain"
        />
      )}
      <img src={after.src} alt={after.alt} className="size-full min-h-0 bg-rule object-contain" />
    </div>
  );
}

interface FiguresProps {
  sample: Asset;
  preview: Preview | null;
  isFetching: boolean;
}

function Figures({ sample, preview, isFetching }: FiguresProps) {
  return (
    <>
      <div>
        <dt className="eyebrow">Before</dt>
        <dd className="truncate font-medium" title={sample.name}>
          {sample.name}
        </dd>
        <dd className="figure text-soft">
          {sample.width && `${sample.width} × ${sample.height} · `}
          {formatBytes(sample.bytes)}
        </dd>
      </div>
      <div>
        <dt className="eyebrow">After</dt>
        {preview ? (
          <MadeFigures sample={sample} preview={preview} isFetching={isFetching} />
        ) : (
          <dd className="text-soft">{isFetching ? 'rendering …' : 'nothing yet'}</dd>
        )}
      </div>
    </>
  );
}

interface MadeFiguresProps {
  sample: Asset;
  preview: Preview;
  isFetching: boolean;
}

function MadeFigures({ sample, preview, isFetching }: MadeFiguresProps) {
  return (
    <>
      <dd className="figure text-base">
        {preview.width} × {preview.height}
      </dd>
      <dd className="figure text-base">
        {formatBytes(preview.bytes)}{' '}
        <span className="text-soft">{describeSaving(sample.bytes, preview.bytes)}</span>
      </dd>
      <dd className="text-soft">
        {preview.mime.replace('image/', '').toUpperCase()}
        {preview.quality !== null && `, quality ${preview.quality}`}
        {preview.likeness !== null && `, likeness ${preview.likeness.toFixed(3)}`}
      </dd>
      <dd className="text-xs text-soft" aria-live="polite">
        {isFetching ? 'rendering …' : `made in ${preview.workMs} ms`}
      </dd>
    </>
  );
}

function describeSaving(before: number, after: number): string {
  const percent = Math.round(Math.abs(after / before - 1) * 100);
  return `${after < before ? '−' : '+'}${percent} %`;
}
