import { formatCount } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import type { Use } from '@uniferum/core/pages';
import { FailureLine } from '../ui/notice.js';
import { useUses } from './hooks.js';

/** Where an asset is used, on its line. */
export function UsesStage({ asset: { id, uses } }: { asset: Asset }) {
  const { data, error } = useUses(id, uses > 0);
  if (uses === 0) return <p className="text-soft">Not used on any indexed page.</p>;
  const items = data?.items ?? [];
  return (
    <>
      <FailureLine error={error} />
      <ul>
        {items.map((use) => (
          <UseLine key={`${use.source} ${use.document} ${use.offset}`} use={use} />
        ))}
      </ul>
      {uses > items.length && data && (
        <p className="text-soft">and {formatCount(uses - items.length, 'more place')}</p>
      )}
    </>
  );
}

function UseLine({ use: { title, document, url, attribute, recipe } }: { use: Use }) {
  const name = title ?? document;
  return (
    <li className="min-w-0">
      {url ? (
        <a
          href={url}
          target="_blank"
          rel="noreferrer"
          title={document}
          className="block truncate hover:text-oxide hover:underline"
          dir="auto"
        >
          {name}
        </a>
      ) : (
        <span className="block truncate" title={document} dir="auto">
          {name}
        </span>
      )}
      <span className="block truncate text-xs text-soft">
        {attribute}
        {recipe && `, ${recipe}`}
      </span>
    </li>
  );
}
