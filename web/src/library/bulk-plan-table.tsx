import type { BulkPlan } from '@uniferum/client';
import { formatCaptured, formatNumber } from '../ui/format.js';
import { TEXT_WORDS } from '../ui/text-words.js';

/** A rehearsal: totals, and the first changes. */
export function BulkPlanTable({ plan: { items, blocked, totals } }: { plan: BulkPlan }) {
  return (
    <section aria-label="What would change" className="border-l-2 border-ochre pl-4">
      <p role="status" className="font-medium">
        {describeTotals(totals)}.
      </p>
      {blocked.length > 0 && (
        <ul aria-label="Refused by rules" className="max-h-24 overflow-y-auto text-sm text-fault">
          {blocked.map(({ asset, message }) => (
            <li key={asset}>{message}</li>
          ))}
        </ul>
      )}
      <ul className="max-h-32 overflow-y-auto text-sm">
        {items.map(({ asset, name, before, after }) => (
          <li key={asset} className="grid grid-cols-[14rem_minmax(0,1fr)] gap-4 border-b border-rule py-0.5">
            <span className="truncate font-medium">{name}</span>
            <span className="truncate">
              {Object.keys(after).map((field) => (
                <span key={field} className="mr-4">
                  <span className="text-soft">
                    {wordOf(field)}: {show(field, before[field])} →{' '}
                  </span>
                  {show(field, after[field])}
                </span>
              ))}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function describeTotals(totals: BulkPlan['totals']): string {
  return [
    `${formatNumber(totals.changed - totals.blocked)} would change`,
    totals.blocked > 0 && `${formatNumber(totals.blocked)} would be refused by rules`,
    totals.hasOne > 0 && `${formatNumber(totals.hasOne)} already have one`,
    totals.noDate > 0 && `${formatNumber(totals.noDate)} have no capture date`,
    totals.dateLimit > 0 && `${formatNumber(totals.dateLimit)} would be outside the years 1000 to 9999`,
    totals.same > 0 && `${formatNumber(totals.same)} unchanged`,
  ]
    .filter(Boolean)
    .join(', ');
}

const WORDS: Record<string, string> = { ...TEXT_WORDS, folder: 'Folder' };
const wordOf = (field: string) => WORDS[field] ?? field;

function show(field: string, value: unknown): string {
  if (value === null || value === undefined || value === '') return 'nothing';
  if (Array.isArray(value)) return value.length > 0 ? value.join(', ') : 'nothing';
  // An ISO time: in UTC where its offset isn't known.
  if (field === 'capturedAt') return formatCaptured(String(value).replace(/(?:\.\d+)?Z?$|\.\d+(?=[+-])/, ''));
  return String(value);
}
