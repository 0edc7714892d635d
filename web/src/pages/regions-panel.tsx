import type { RegionEntry } from '@uniferum/core/pages';
import { Command } from 'cmdk';
import { X } from 'lucide-react';
import { useState } from 'react';
import { AssetThumb } from '../library/asset-thumb.js';
import { useAssets } from '../library/hooks.js';
import { IconButton } from '../ui/button.js';
import { FailureLine } from '../ui/notice.js';
import { useDebounced } from '../ui/use-debounced.js';
import { usePageTypes } from './page-hooks.js';
import { RecipeSelect } from './recipe-choice.js';
import type { PageDraft } from './use-page-draft.js';

/** The regions of the page: files are placed by typing a few letters of their name. */
export function RegionsPanel({ draft }: { draft: PageDraft }) {
  const { data: types, error } = usePageTypes();
  const regions = types?.find(({ name }) => name === draft.page.type)?.regions ?? [];
  return (
    <div className="flex flex-col gap-5 p-4">
      <FailureLine error={error} />
      {types && regions.length === 0 && (
        <p className="text-sm text-soft">Pages of this type have no regions.</p>
      )}
      {regions.map((name) => (
        <Region key={name} name={name} draft={draft} />
      ))}
    </div>
  );
}

function Region({ name, draft }: { name: string; draft: PageDraft }) {
  const entries = draft.regions[name] ?? [];
  const put = (next: readonly RegionEntry[]) => draft.place({ regions: { [name]: [...next] } });
  return (
    <section aria-label={`Region ${name}`} className="flex flex-col gap-2">
      <h3 className="font-semibold">{name}</h3>
      <ol className="flex flex-col gap-1">
        {entries.map((entry, index) => (
          <Entry
            // The same file may be there twice.
            // biome-ignore lint/suspicious/noArrayIndexKey: entries have no identity but their place
            key={`${index} ${entry.asset.id}`}
            entry={entry}
            onChange={(next) => put(entries.map((one, at) => (at === index ? next : one)))}
            onRemove={() => put(entries.filter((_, at) => at !== index))}
          />
        ))}
      </ol>
      <AddByName
        label={`Place a file in ${name}`}
        onAdd={(asset) => put([...entries, { asset, recipe: null, caption: null }])}
      />
    </section>
  );
}

interface EntryProps {
  entry: RegionEntry;
  onChange: (entry: RegionEntry) => void;
  onRemove: () => void;
}

function Entry({ entry, onChange, onRemove }: EntryProps) {
  const { asset, recipe } = entry;
  return (
    <li className="flex items-center gap-2 border border-rule bg-surface p-1">
      <AssetThumb asset={asset} heightPx={40} className="h-10 w-14 shrink-0" />
      <span className="min-w-0 flex-1">
        <span className="block truncate text-sm" dir="auto">
          {asset.name}
        </span>
        <RecipeSelect
          aria-label={`Rendition of ${asset.name}`}
          className="h-6 text-xs"
          value={recipe}
          onChange={(chosen) => onChange({ ...entry, recipe: chosen })}
        />
      </span>
      <IconButton name={`Remove ${asset.name}`} onClick={onRemove}>
        <X className="size-4" />
      </IconButton>
    </li>
  );
}

const LEAST_LETTERS = 2;
const MAX_PROPOSED = 8;

interface AddByNameProps {
  label: string;
  onAdd: (asset: RegionEntry['asset']) => void;
}

/** A field that proposes files after two letters; the arrow keys choose, Enter places. */
function AddByName({ label, onAdd }: AddByNameProps) {
  const [typed, setTyped] = useState('');
  const q = useDebounced(typed.trim(), 200);
  const isAsked = typed.trim().length >= LEAST_LETTERS;
  const found = useAssets({ q: q.length >= LEAST_LETTERS ? q : '', folder: '/', deep: true, sort: 'name' });
  const isAnswered = isAsked && q === typed.trim() && !found.isPlaceholderData;
  const proposed = isAnswered ? (found.data?.pages[0]?.items.slice(0, MAX_PROPOSED) ?? []) : [];
  const add = (asset: RegionEntry['asset']) => {
    onAdd(asset);
    setTyped('');
  };
  return (
    <Command shouldFilter={false} label={label}>
      <Command.Input
        value={typed}
        onValueChange={setTyped}
        placeholder="Type part of a file name"
        className="h-8 w-full rounded-[3px] border border-rule-strong bg-raised px-2.5 text-sm placeholder:text-soft"
      />
      <Command.List className={proposed.length > 0 ? 'border border-rule-strong bg-raised' : ''}>
        {proposed.map((asset) => (
          <Command.Item
            key={asset.id}
            value={asset.id}
            onSelect={() => add(asset)}
            className="flex cursor-pointer items-center gap-2 p-1 text-sm data-[selected=true]:bg-oxide-wash"
          >
            <AssetThumb asset={asset} heightPx={28} className="h-7 w-10 shrink-0" />
            <span className="truncate" dir="auto">
              {asset.name}
            </span>
          </Command.Item>
        ))}
      </Command.List>
    </Command>
  );
}
