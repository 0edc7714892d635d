import { formatCount } from '@uniferum/core/intake';
import type { PageSourceAnswer } from '@uniferum/core/pages';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { DeleteQuestion } from '../ui/delete-question.js';
import { formatAgo } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TestSteps } from '../ui/test-steps.js';
import { TextLink } from '../ui/text-link.js';
import { AddSourceDialog } from './add-source-dialog.js';
import { useSourceChanges, useSources } from './hooks.js';
import { PagesViews } from './pages-views.js';
import { RewriteDialog } from './rewrite-dialog.js';
import { placeOf } from './source-form.js';

/** Where pages come from, and how many of their references are broken. */
export function SourcesPage() {
  const { data: sources, error } = useSources();
  const mayWrite = useRight('pages:write');
  const [isAdding, setAdding] = useState(false);
  const [isRewriting, setRewriting] = useState(false);
  const writable = sources?.filter((source) => source.writable) ?? [];
  return (
    <Page
      title="Pages"
      note={sources && describe(sources)}
      actions={
        mayWrite && (
          <>
            {writable.length > 0 && <Button onClick={() => setRewriting(true)}>Replace addresses …</Button>}
            <Button look="main" onClick={() => setAdding(true)}>
              <Plus className="size-4" aria-hidden="true" /> New source
            </Button>
          </>
        )
      }
    >
      <PagesViews />
      {error && <ErrorNotice error={error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {sources?.length === 0 && <NoSource onAdd={mayWrite ? () => setAdding(true) : null} />}
        <ul>
          {sources?.map((source) => (
            <SourceRow key={source.id} source={source} mayWrite={mayWrite} />
          ))}
        </ul>
      </div>
      {isRewriting && <RewriteDialog sources={writable} onClose={() => setRewriting(false)} />}
      {isAdding && <AddSourceDialog onClose={() => setAdding(false)} />}
    </Page>
  );
}

function describe(sources: readonly PageSourceAnswer[]): string {
  const sum = (of: 'documents' | 'references') => sources.reduce((total, source) => total + source[of], 0);
  return `${formatCount(sum('references'), 'reference')} in ${formatCount(sum('documents'), 'document')}`;
}

function NoSource({ onAdd }: { onAdd: (() => void) | null }) {
  return (
    <div className="p-6">
      <EmptyPlace title="No page sources yet" action={onAdd && <Button onClick={onAdd}>Add a source</Button>}>
        Uniferum reads the documents of a source and finds every place where a file of the library is used.
        Deleting such a file then asks first, and broken references are listed here.
      </EmptyPlace>
    </div>
  );
}

interface SourceRowProps {
  source: PageSourceAnswer;
  mayWrite: boolean;
}

function SourceRow({ source, mayWrite }: SourceRowProps) {
  const { index, remove, test } = useSourceChanges();
  const [isAsking, setAsking] = useState(false);
  const { id, kind, name } = source;
  return (
    <li className="grid grid-cols-1 items-start gap-x-6 gap-y-2 border-b border-rule px-6 py-3 lg:grid-cols-[minmax(0,1fr)_auto_auto]">
      <div className="min-w-0">
        <h2 className="truncate font-semibold" dir="auto">
          {name}
        </h2>
        <p className="truncate font-mono text-xs leading-5 text-soft">{placeOf(source)}</p>
        <p className="truncate text-sm text-soft">
          {addressOf(source)}, {indexedWhen(source)}
        </p>
        <FailureLine error={index.error ?? test.error} />
        {test.data && <TestSteps steps={test.data.steps} />}
      </div>
      <Figures source={source} />
      {mayWrite && (
        <div className="flex items-center gap-1 justify-self-end">
          {isAsking ? (
            <DeleteQuestion
              about="The documents are kept. Their uses are removed from the index."
              action="Delete source"
              isPending={remove.isPending}
              error={remove.error}
              onDelete={() => remove.mutate(id)}
              onKeep={() => setAsking(false)}
            />
          ) : (
            <>
              <Button
                aria-label={`Index ${name}`}
                disabled={index.isPending}
                onClick={() => index.mutate(id)}
              >
                Index
              </Button>
              <Button
                look="quiet"
                aria-label={`Test ${name}`}
                disabled={test.isPending}
                onClick={() => test.mutate(id)}
              >
                Test
              </Button>
              {kind !== 'pages' && (
                <Button look="quiet" aria-label={`Delete ${name}`} onClick={() => setAsking(true)}>
                  Delete
                </Button>
              )}
              <AsCode
                code={{
                  method: 'POST',
                  path: `/sources/${id}/index`,
                  client: `const { run } = await uniferum.sources.index('${id}');`,
                  command: `uniferum sources ${id} --index`,
                }}
              />
            </>
          )}
        </div>
      )}
    </li>
  );
}

function indexedWhen({ kind, indexedAt }: PageSourceAnswer): string {
  if (kind === 'pages') return 'indexed on every save';
  return indexedAt ? `indexed ${formatAgo(indexedAt)}` : 'never indexed';
}

function addressOf({ kind, settings, writable }: PageSourceAnswer): string {
  if (kind === 'site') return 'A site';
  if (kind === 'pages') return 'Written in Uniferum';
  return `${settings.url ?? 'No address'}, ${writable ? 'writable' : 'read-only'}`;
}

function Figures({ source: { id, documents, references, broken } }: { source: PageSourceAnswer }) {
  return (
    <p className="figure text-sm text-soft lg:pt-1 lg:text-right">
      {formatCount(documents, 'document')}, {formatCount(references, 'reference')}
      <br />
      {broken > 0 ? (
        <TextLink to={`/pages/broken?source=${id}`}>
          <StateMark state="broken" count={broken} />
        </TextLink>
      ) : (
        'none broken'
      )}
    </p>
  );
}
