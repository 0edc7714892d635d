import type { FixRequest } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { BrokenReason, PageReference } from '@uniferum/core/pages';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { uniferum } from '../client.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Select } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { TextLink } from '../ui/text-link.js';
import { useAddressValue } from '../ui/use-address-value.js';
import { FixDialog } from './fix-dialog.js';
import { useBroken, useSources } from './hooks.js';
import { PagesViews } from './pages-views.js';

/** Every reference on a page that leads nowhere. */
export function BrokenPage() {
  const [source, setSource] = useAddressValue('source');
  const { data, error, refetch, hasNextPage, fetchNextPage } = useBroken(source);
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  const mayFix = useRight('pages:write');
  const [fixing, setFixing] = useState<FixRequest | null>(null);
  return (
    <Page
      title="Pages"
      note={data && `${formatNumber(items.length)} of ${formatCount(total, 'broken reference')}`}
      actions={
        <>
          {mayFix && items.some(({ fix }) => fix !== null) && (
            <Button look="main" onClick={() => setFixing({ all: true, ...(source !== null && { source }) })}>
              Fix all …
            </Button>
          )}
          {total > 0 && (
            <a
              href={uniferum.references.reportUrl(source === null ? {} : { source })}
              className="text-sm text-oxide hover:underline"
            >
              Download as CSV
            </a>
          )}
          <AsCode
            code={{
              method: 'GET',
              path: `/references?state=broken${source ? `&source=${source}` : ''}`,
              client: `for await (const reference of uniferum.references.list({ state: 'broken' }))\n  console.log(reference.document, reference.address);`,
              command: 'uniferum broken',
            }}
          />
        </>
      }
    >
      <PagesViews />
      <SourceChoice source={source} onChoose={setSource} />
      {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
      <div className="min-h-0 flex-1 overflow-auto">
        {data && items.length === 0 && <NothingBroken />}
        {items.length > 0 && (
          <BrokenTable items={items} onFix={mayFix ? (id) => setFixing({ ids: [id] }) : null} />
        )}
        {hasNextPage && (
          <Button look="quiet" className="m-3" onClick={() => void fetchNextPage()}>
            Show more
          </Button>
        )}
      </div>
      {fixing && <FixDialog request={fixing} onClose={() => setFixing(null)} />}
    </Page>
  );
}

interface SourceChoiceProps {
  source: string | null;
  onChoose: (source: string | null) => void;
}

function SourceChoice({ source, onChoose }: SourceChoiceProps) {
  const { data: sources = [], error } = useSources();
  return (
    <div className="flex h-11 items-center gap-4 border-b border-rule px-6 text-sm">
      <label htmlFor="source" className="flex items-center gap-2">
        Source
        <Select
          id="source"
          className="w-56"
          value={source ?? ''}
          onChange={(event) => onChoose(event.target.value === '' ? null : event.target.value)}
        >
          <option value="">All sources</option>
          {sources.map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Select>
      </label>
      <FailureLine error={error} />
    </div>
  );
}

function NothingBroken() {
  return (
    <div className="p-6">
      <EmptyPlace title="No broken references" action={<TextLink to="/pages">Index a source</TextLink>}>
        References to files that are missing, in the bin or without a rendition are listed here after a source
        was indexed.
      </EmptyPlace>
    </div>
  );
}

const REASONS: Record<BrokenReason, string> = {
  unknown: 'no file has ever had this address',
  'in-bin': 'the file is in the bin',
  'no-recipe': 'there is no such recipe',
  unreachable: 'it does not answer',
};

const FIXES = { original: 'the original', 'same-name': 'the only file of that name' } as const;

interface BrokenTableProps {
  items: readonly PageReference[];
  /** Null without the right to. */
  onFix: ((id: string) => void) | null;
}

function BrokenTable({ items, onFix }: BrokenTableProps) {
  return (
    <table className="w-full min-w-[44rem] text-sm">
      <thead>
        <tr className="border-b border-rule text-left text-soft">
          <th className="py-1.5 pl-6 font-medium">Document</th>
          <th className="font-medium">Where</th>
          <th className="font-medium">Address</th>
          <th className="pr-6 font-medium">Reason and proposed fix</th>
        </tr>
      </thead>
      <tbody>
        {items.map((item) => (
          <tr key={item.id} className="border-b border-rule align-baseline">
            <td className="max-w-72 py-1.5 pr-4 pl-6">
              <span className="block truncate font-medium" dir="auto">
                {item.document.startsWith('/') && item.url === null ? (
                  <TextLink to={`/pages?q=${encodeURIComponent(item.document)}`}>
                    {item.title ?? item.document}
                  </TextLink>
                ) : (
                  (item.title ?? item.document)
                )}
              </span>
              {item.title && (
                <span className="block truncate font-mono text-xs text-soft">{item.document}</span>
              )}
            </td>
            <td className="pr-4 whitespace-nowrap text-soft">{item.attribute}</td>
            <td className="max-w-96 pr-4">
              <span className="block truncate font-mono text-xs">{item.address}</span>
            </td>
            <td className="max-w-80 pr-6 text-soft">
              {item.detail ?? (item.reason && REASONS[item.reason])}
              {item.fix && (
                <span className="flex items-baseline gap-2 text-ink">
                  <span className="truncate" title={item.fix.address}>
                    → {FIXES[item.fix.by]}:{' '}
                    <span className="font-mono text-xs">{new URL(item.fix.address).pathname}</span>
                  </span>
                  {onFix && (
                    <button
                      type="button"
                      aria-label={`Fix ${item.address} in ${item.document}`}
                      className="shrink-0 text-oxide hover:underline"
                      onClick={() => onFix(item.id)}
                    >
                      Fix …
                    </button>
                  )}
                </span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
