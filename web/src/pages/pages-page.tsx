import { formatCount } from '@uniferum/core/intake';
import type { PageSummary } from '@uniferum/core/pages';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Input } from '../ui/field.js';
import { formatAgo, formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { useAddressValue } from '../ui/use-address-value.js';
import { useDebounced } from '../ui/use-debounced.js';
import { NewPageDialog } from './new-page-dialog.js';
import { useSitePages } from './page-hooks.js';
import { PagesViews } from './pages-views.js';

/** The pages that are written here, by their place in the site. */
export function PagesPage() {
  const [q, setQ] = useAddressValue('q');
  const { data, error, refetch, hasNextPage, fetchNextPage } = useSitePages(useDebounced(q ?? '', 250));
  const mayWrite = useRight('pages:write');
  const [isAdding, setAdding] = useState(false);
  const items = data?.pages.flatMap((page) => page.items) ?? [];
  const total = data?.pages[0]?.total ?? 0;
  return (
    <Page
      title="Pages"
      note={data && `${formatNumber(items.length)} of ${formatCount(total, 'page')}`}
      actions={
        <>
          <AsCode
            code={{
              method: 'GET',
              path: '/pages',
              client: 'for await (const page of uniferum.pages.list()) console.log(page.path, page.state);',
            }}
          />
          {mayWrite && (
            <Button look="main" onClick={() => setAdding(true)}>
              <Plus className="size-4" aria-hidden="true" /> New page
            </Button>
          )}
        </>
      }
    >
      <PagesViews />
      <div className="flex h-11 items-center border-b border-rule px-6">
        <Input
          type="search"
          aria-label="Search pages"
          placeholder="Title or path"
          className="max-w-80"
          value={q ?? ''}
          onChange={(event) => setQ(event.target.value || null)}
        />
      </div>
      {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
      <div className="min-h-0 flex-1 overflow-auto">
        {data && items.length === 0 && (
          <NoPage isFiltered={q !== null} onAdd={mayWrite ? () => setAdding(true) : null} />
        )}
        {items.length > 0 && <PagesTable items={items} />}
        {hasNextPage && (
          <Button look="quiet" className="m-3" onClick={() => void fetchNextPage()}>
            Show more
          </Button>
        )}
      </div>
      {isAdding && <NewPageDialog onClose={() => setAdding(false)} />}
    </Page>
  );
}

function NoPage({ isFiltered, onAdd }: { isFiltered: boolean; onAdd: (() => void) | null }) {
  return (
    <div className="p-6">
      <EmptyPlace
        title={isFiltered ? 'No pages match' : 'No pages yet'}
        action={onAdd && <Button onClick={onAdd}>Write a page</Button>}
      >
        Pages that are written here name their media by identity, so that nothing breaks when a file is
        renamed or moved. A site reads them by their path.
      </EmptyPlace>
    </div>
  );
}

function PagesTable({ items }: { items: readonly PageSummary[] }) {
  return (
    <table className="w-full min-w-[44rem] text-sm">
      <thead>
        <tr className="border-b border-rule text-left text-soft">
          <th className="py-1.5 pl-6 font-normal">Title</th>
          <th className="font-normal">Path</th>
          <th className="font-normal">State</th>
          <th className="font-normal">Broken</th>
          <th className="pr-6 font-normal">Last change</th>
        </tr>
      </thead>
      <tbody>
        {items.map((page) => (
          <PageRow key={page.id} page={page} />
        ))}
      </tbody>
    </table>
  );
}

function PageRow({ page }: { page: PageSummary }) {
  const { id, title, path, state, hasChanges, broken, updatedAt, updatedBy } = page;
  const depth = Math.max(0, path.split('/').length - 2);
  return (
    <tr className="border-b border-rule align-baseline">
      <td className="max-w-96 py-2 pr-4 pl-6">
        <span
          className="block truncate"
          style={{ paddingLeft: `${Math.min(depth, 6) * 1.25}rem` }}
          dir="auto"
        >
          <TextLink to={`/pages/edit/${id}`}>{title}</TextLink>
        </span>
      </td>
      <td className="max-w-72 truncate pr-4 font-mono text-xs text-soft">{path}</td>
      <td className="pr-4 whitespace-nowrap">
        <StateMark state={state} />
        {hasChanges && <span className="ml-2 text-xs text-soft">unpublished changes</span>}
      </td>
      <td className="pr-4">
        {broken > 0 ? <StateMark state="broken" count={broken} /> : <span className="text-soft">none</span>}
      </td>
      <td className="pr-6 whitespace-nowrap text-soft">
        {formatAgo(updatedAt)} by {updatedBy}
      </td>
    </tr>
  );
}
