import { formatCount } from '@uniferum/core/intake';
import type { PageTypeAnswer } from '@uniferum/core/pages';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { ask } from '../ui/ask.js';
import { Button } from '../ui/button.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { usePageTypeChanges, usePageTypes } from './page-hooks.js';
import { PageTypeDialog } from './page-type-dialog.js';
import { PagesViews } from './pages-views.js';

/** The types that pages can have, with their slots and regions. */
export function PageTypesPage() {
  const { data: types, error, refetch } = usePageTypes();
  const mayWrite = useRight('pages:write');
  const [edited, setEdited] = useState<PageTypeAnswer | 'new' | null>(null);
  return (
    <Page
      title="Pages"
      note={types && formatCount(types.length, 'page type')}
      actions={
        mayWrite && (
          <Button look="main" onClick={() => setEdited('new')}>
            <Plus className="size-4" aria-hidden="true" /> New page type
          </Button>
        )
      }
    >
      <PagesViews />
      {error && <ErrorNotice error={error} onRetry={() => void refetch()} />}
      {types?.length === 0 && (
        <div className="p-6">
          <EmptyPlace
            title="No page types yet"
            action={mayWrite && <Button onClick={() => setEdited('new')}>Create a page type</Button>}
          >
            A type names the slots and regions of its pages, and what their files may be.
          </EmptyPlace>
        </div>
      )}
      <ul className="min-h-0 flex-1 overflow-y-auto">
        {types?.map((type) => (
          <TypeRow key={type.name} type={type} onEdit={mayWrite ? () => setEdited(type) : null} />
        ))}
      </ul>
      {edited && <PageTypeDialog type={edited === 'new' ? null : edited} onClose={() => setEdited(null)} />}
    </Page>
  );
}

function TypeRow({ type, onEdit }: { type: PageTypeAnswer; onEdit: (() => void) | null }) {
  const { remove } = usePageTypeChanges();
  const { name, title, slots, regions } = type;
  const removeAfterQuestion = async () => {
    const text = 'Only a type without pages can be deleted. Change the type of its pages first.';
    if (await ask({ title: `Delete page type ${title}?`, text, yes: 'Delete page type', no: 'Keep it' }))
      remove.mutate(name);
  };
  return (
    <li className="flex flex-wrap items-start gap-x-6 gap-y-2 border-b border-rule px-6 py-3">
      <div className="min-w-0 flex-1 basis-60">
        <h2 className="truncate font-semibold" dir="auto">
          {title}
        </h2>
        <p className="font-mono text-xs leading-5 text-soft">{name}</p>
        <FailureLine error={remove.error} />
      </div>
      <dl className="grid min-w-0 flex-1 basis-80 grid-cols-[5rem_1fr] gap-x-3 text-sm">
        <dt className="text-soft">Slots</dt>
        <dd>{slots.length === 0 ? 'none' : slots.map(describeSlot).join(', ')}</dd>
        <dt className="text-soft">Regions</dt>
        <dd>{regions.join(', ') || 'none'}</dd>
      </dl>
      {onEdit && (
        <div className="flex gap-1">
          <Button aria-label={`Edit ${title}`} onClick={onEdit}>
            Edit
          </Button>
          <Button
            look="quiet"
            aria-label={`Delete ${title}`}
            disabled={remove.isPending}
            onClick={() => void removeAfterQuestion()}
          >
            Delete
          </Button>
        </div>
      )}
    </li>
  );
}

function describeSlot({ name, kinds, least, most }: PageTypeAnswer['slots'][number]): string {
  const limits = most === null ? (least > 0 ? `at least ${least}` : '') : `${least} to ${most}`;
  const details = [kinds.join(' or '), limits].filter((part) => part !== '');
  return details.length > 0 ? `${name} (${details.join(', ')})` : name;
}
