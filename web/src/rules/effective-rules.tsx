import { formatBytes } from '@uniferum/core/intake';
import type { EffectiveRules } from '@uniferum/core/rules';
import { formatNumber } from '../ui/format.js';

interface RuleLine {
  rule: string;
  value: string;
  from: string;
}

/** The effective rules of a folder, each with the folder that sets it. */
export function EffectiveRuleList({ rules, folder }: { rules: EffectiveRules; folder: string }) {
  const lines = toLines(rules);
  if (lines.length === 0) return <p className="text-sm text-soft">No rules: any file is accepted.</p>;
  return (
    <dl className="flex flex-wrap gap-x-8 gap-y-2">
      {lines.map(({ rule, value, from }) => (
        <div key={`${rule} ${from}`}>
          <dt className="eyebrow">{rule}</dt>
          <dd className="text-sm font-medium">{value}</dd>
          <dd className="font-mono text-xs text-soft">{from === folder ? 'set here' : `from ${from}`}</dd>
        </div>
      ))}
    </dl>
  );
}

function toLines(rules: EffectiveRules): RuleLine[] {
  const lines: RuleLine[] = [];
  const add = <Value,>(
    rule: string,
    effective: { value: Value; from: string } | null,
    write: (value: Value) => string,
  ) => {
    if (effective) lines.push({ rule, value: write(effective.value), from: effective.from });
  };
  add('Maximum size', rules.maxBytes, formatBytes);
  add('Maximum items', rules.maxItems, formatNumber);
  add('Allowed types', rules.allow, (types) => types.join(', '));
  lines.push(...groupByFolder('Denied types', rules.deny));
  add('Minimum width', rules.minWidth, (px) => `${formatNumber(px)} px`);
  add('Minimum height', rules.minHeight, (px) => `${formatNumber(px)} px`);
  add('Maximum pixels', rules.maxPixels, formatNumber);
  lines.push(...groupByFolder('Requires', rules.requireTexts));
  add(
    'Exact duplicates',
    rules.duplicates,
    (rule) =>
      ({
        allow: 'allowed',
        warn: 'accepted with a warning',
        refuse: 'refused',
        reuse: 'reuse the asset that is there',
      })[rule],
  );
  add('Webhook', rules.check, ({ url }) => url);
  return lines;
}

function groupByFolder(rule: string, entries: readonly { value: string; from: string }[]): RuleLine[] {
  const folders = [...new Set(entries.map(({ from }) => from))];
  return folders.map((folder) => ({
    rule,
    from: folder,
    value: entries
      .filter(({ from }) => from === folder)
      .map(({ value }) => value)
      .join(', '),
  }));
}
