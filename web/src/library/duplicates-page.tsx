import { formatBytes, formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { Link, useSearchParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { formatMoment } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { libraryAddress } from './address.js';
import { AssetThumb, sheetRatio } from './asset-thumb.js';
import { useBulkChanges, useDuplicates } from './hooks.js';
import { LibraryViews } from './library-views.js';

const DISTANCE_WORDS = ['visually identical', 'nearly the same', 'an edit of it', 'alike', 'perhaps alike'];
const MAX_DISTANCE = 10;

/** Exact duplicates, and similar pictures. */
export function DuplicatesPage() {
  const [search, setSearch] = useSearchParams();
  const by = search.get('by') === 'look' ? 'look' : 'bytes';
  const distance = Math.min(MAX_DISTANCE, Number(search.get('distance') ?? 6));
  const setDistance = (value: number | string) =>
    setSearch({ by: 'look', distance: String(value) }, { replace: true });
  const { data, error, isPending } = useDuplicates(by, distance);
  const groups = data?.groups ?? [];
  return (
    <Page
      title="Duplicates"
      note={data && `${formatCount(groups.length, 'group')}${groups.length === 100 ? ' shown first' : ''}`}
      actions={<LibraryViews />}
    >
      <div className="flex min-h-10 flex-wrap items-center gap-x-6 border-y border-rule px-6 py-1">
        <ByChoice by={by} onChoose={(value) => setSearch(value === 'look' ? { by: value } : {})} />
        {by === 'look' && <Distance distance={distance} onChange={setDistance} />}
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-6 pb-6">
        {error && <ErrorNotice error={error} />}
        {!isPending && !error && groups.length === 0 && (
          <NothingTwice by={by} distance={distance} onWiden={() => setDistance(MAX_DISTANCE)} />
        )}
        {groups.map((group) => (
          <Group key={group[0]?.id} group={group} isExact={by === 'bytes'} distance={distance} />
        ))}
      </div>
    </Page>
  );
}

type By = 'bytes' | 'look';

const BY_WORDS = [
  ['bytes', 'Exact duplicates'],
  ['look', 'Similar pictures'],
] as const;

function ByChoice({ by, onChoose }: { by: By; onChoose: (by: By) => void }) {
  return (
    <div role="radiogroup" aria-label="Kind of duplicates" className="flex gap-4">
      {BY_WORDS.map(([value, words]) => (
        <label key={value} className="inline-flex items-center gap-2 text-sm">
          <input
            type="radio"
            className="accent-oxide"
            checked={by === value}
            onChange={() => onChoose(value)}
          />
          {words}
        </label>
      ))}
    </div>
  );
}

function Distance({ distance, onChange }: { distance: number; onChange: (value: string) => void }) {
  return (
    <label className="flex flex-wrap items-center gap-x-3 text-sm">
      Similarity
      <input
        type="range"
        min={0}
        max={MAX_DISTANCE}
        value={distance}
        className="w-48 accent-oxide"
        onChange={(event) => onChange(event.target.value)}
      />
      <span className="text-soft">
        <span className="figure">{distance}</span> of 64 bits: {DISTANCE_WORDS[Math.floor(distance / 2.5)]}
      </span>
    </label>
  );
}

interface NothingTwiceProps {
  by: By;
  distance: number;
  onWiden: () => void;
}

function NothingTwice({ by, distance, onWiden }: NothingTwiceProps) {
  return (
    <div className="pt-6">
      {by === 'bytes' ? (
        <EmptyPlace title="No duplicates" action={<TextLink to="/intake">Import files</TextLink>}>
          Files with the same bytes at several addresses are grouped here.
        </EmptyPlace>
      ) : (
        <EmptyPlace
          title="No similar pictures at this distance"
          action={distance < MAX_DISTANCE && <Button onClick={onWiden}>Include less similar ones</Button>}
        >
          Pictures are compared on import, including crops, scaled copies and tone changes. Move the slider to
          find less similar ones.
        </EmptyPlace>
      )}
    </div>
  );
}

const THUMB_PX = 96;

interface GroupProps {
  /** The oldest first. */
  group: readonly Asset[];
  isExact: boolean;
  distance: number;
}

function Group({ group, isExact, distance }: GroupProps) {
  const mayDelete = useRight('library:delete');
  const [oldest, ...later] = group;
  const wasted = later.reduce((sum, { bytes }) => sum + bytes, 0);
  return (
    <section aria-label={`Group of ${oldest?.name}`} className="border-b border-rule py-3">
      <div className="flex items-center gap-4 pb-2">
        <h2 className="text-sm">
          <span className="font-medium">
            {formatCount(group.length, isExact ? 'copy' : 'picture', isExact ? 'copies' : 'pictures')}
          </span>{' '}
          {isExact && <span className="figure text-soft">{formatBytes(wasted)} wasted</span>}
        </h2>
        <span className="ml-auto" />
        {!isExact && oldest && (
          <Link
            to={`/library?q=near:${oldest.id},${distance}`}
            className="text-sm text-oxide hover:underline"
          >
            Select in the library
          </Link>
        )}
        {isExact && mayDelete && <BinOthers kept={oldest?.name ?? ''} ids={later.map(({ id }) => id)} />}
      </div>
      <ul className="flex gap-5 overflow-x-auto">
        {group.map((asset) => (
          <Member key={asset.id} asset={asset} isOldest={asset === oldest} />
        ))}
      </ul>
    </section>
  );
}

interface BinOthersProps {
  /** The name of the oldest, which stays. */
  kept: string;
  ids: readonly string[];
}

function BinOthers({ kept, ids }: BinOthersProps) {
  const { act } = useBulkChanges();
  const request = { select: { ids: [...ids] }, action: 'bin' as const };
  return (
    <>
      <Button
        aria-label={`Keep the oldest, bin ${formatCount(ids.length, 'other')}: ${kept}`}
        disabled={act.isPending}
        onClick={() => act.mutate(request)}
      >
        Keep the oldest, bin {formatCount(ids.length, 'other')}
      </Button>
      <AsCode
        code={{
          method: 'POST',
          path: '/assets/bulk',
          body: request,
          client: `const { run } = await uniferum.assets.act(${JSON.stringify(request)});`,
          command: ids.map((id) => commandLine('set', id, '--bin')).join('\n'),
        }}
      />
      {act.error && <ErrorNotice error={act.error} />}
    </>
  );
}

function Member({ asset, isOldest }: { asset: Asset; isOldest: boolean }) {
  return (
    <li className="w-max max-w-64 shrink-0 text-sm">
      <Link to={`${libraryAddress(asset.folder.path)}?asset=${asset.id}`} className="block hover:underline">
        <span className="block" style={{ height: THUMB_PX, width: THUMB_PX * sheetRatio(asset) }}>
          <AssetThumb asset={asset} heightPx={THUMB_PX} className="size-full" />
        </span>
        <span className="block max-w-56 truncate font-medium">{asset.name}</span>
      </Link>
      <p className="max-w-56 truncate font-mono text-xs text-soft">{asset.folder.path}</p>
      <p className="figure text-soft">
        {asset.width && `${asset.width} × ${asset.height}, `}
        {formatBytes(asset.bytes)}
      </p>
      <p className="text-xs text-soft">
        {isOldest ? `oldest, ${formatMoment(asset.createdAt)}` : formatMoment(asset.createdAt)}
      </p>
    </li>
  );
}
