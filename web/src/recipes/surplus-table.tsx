import type { SurplusRendition } from '@uniferum/client';
import { formatBytes } from '@uniferum/core/intake';
import { Checkbox } from '../ui/field.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { keyOfSurplus } from './surplus.js';

const WHY = {
  'recipe-removed': 'recipe deleted',
  'size-removed': 'size no longer made',
  'does-not-apply': 'recipe no longer applies',
} as const;

interface SurplusTableProps {
  items: readonly SurplusRendition[];
  ticked: ReadonlySet<string>;
  onToggle: (key: string) => void;
}

/** The files that no recipe needs, each with its URL and last request. */
export function SurplusTable({ items, ticked, onToggle }: SurplusTableProps) {
  return (
    <table className="w-full text-sm">
      <thead className="sticky top-0 z-10 bg-ground text-left text-soft">
        <tr className="[&>th]:border-b [&>th]:border-rule [&>th]:px-3 [&>th]:py-1.5 [&>th]:font-normal [&>th:first-child]:pl-6 [&>th:last-child]:pr-6">
          <th>File</th>
          <th>Address</th>
          <th>Why</th>
          <th className="text-right">Pixels</th>
          <th className="text-right">Size</th>
          <th className="text-right">Requests</th>
          <th>Last request</th>
          <th>Uses</th>
        </tr>
      </thead>
      <tbody>
        {items.map((item) => (
          <SurplusRow
            key={keyOfSurplus(item)}
            item={item}
            isTicked={ticked.has(keyOfSurplus(item))}
            onToggle={() => onToggle(keyOfSurplus(item))}
          />
        ))}
      </tbody>
    </table>
  );
}

interface SurplusRowProps {
  item: SurplusRendition;
  isTicked: boolean;
  onToggle: () => void;
}

function SurplusRow({ item, isTicked, onToggle }: SurplusRowProps) {
  return (
    <tr className="[&>td]:border-b [&>td]:border-rule [&>td]:px-3 [&>td]:py-1 [&>td:first-child]:pl-6 [&>td:last-child]:pr-6">
      <td className="max-w-56">
        <Checkbox
          label={item.asset.name}
          className="max-w-full truncate"
          checked={isTicked}
          onChange={onToggle}
        />
      </td>
      <td className="max-w-96">
        <a
          href={item.url}
          target="_blank"
          rel="noreferrer"
          className="block truncate font-mono text-xs text-soft hover:text-oxide hover:underline"
        >
          {new URL(item.url).pathname}
        </a>
      </td>
      <td className="text-soft">{WHY[item.why]}</td>
      <td className="figure text-right">
        {item.width} × {item.height}
      </td>
      <td className="figure text-right">{formatBytes(item.bytes)}</td>
      <td className="figure text-right">{formatNumber(item.requests)}</td>
      <td>{item.lastRequestAt ? formatAgo(item.lastRequestAt) : <span className="text-soft">never</span>}</td>
      <td className={item.uses > 0 ? 'figure' : 'figure text-soft'}>{formatNumber(item.uses)}</td>
    </tr>
  );
}
