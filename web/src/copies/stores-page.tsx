import type { AuditMode } from '@uniferum/client';
import type { StoreAnswer } from '@uniferum/core/copies';
import { formatBytes, formatCount } from '@uniferum/core/intake';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { ConnectionsViews } from '../connections/connections-views.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { DeleteQuestion } from '../ui/delete-question.js';
import { formatAgo } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { FindingsDialog } from './findings-dialog.js';
import { useStoreChanges, useStores } from './hooks.js';
import { StoreDialog } from './store-dialog.js';
import { StoreHistory } from './store-history.js';

/** Where files are kept: the home store and the buckets that hold copies. */
export function StoresPage() {
  const { data: stores, error } = useStores();
  const mayWrite = useRight('connections:write');
  const [edited, setEdited] = useState<StoreAnswer | 'new' | null>(null);
  const [examined, setExamined] = useState<StoreAnswer | null>(null);
  const most = Math.max(1, ...(stores ?? []).map(({ bytes }) => bytes));
  return (
    <Page
      title="Stores"
      note="Folders say which stores hold copies of their files."
      actions={
        mayWrite && (
          <Button look="main" onClick={() => setEdited('new')}>
            <Plus className="size-4" aria-hidden="true" /> New store
          </Button>
        )
      }
    >
      <ConnectionsViews />
      {error && <ErrorNotice error={error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        <ul>
          {stores?.map((store) => (
            <StoreRow
              key={store.id}
              store={store}
              most={most}
              mayWrite={mayWrite}
              onEdit={() => setEdited(store)}
              onExamine={() => setExamined(store)}
            />
          ))}
        </ul>
        {stores && stores.length > 1 && <StoreHistory stores={stores} />}
        {stores?.length === 1 && (
          <div className="p-6">
            <EmptyPlace
              title="No other store yet"
              action={mayWrite && <Button onClick={() => setEdited('new')}>Add a store</Button>}
            >
              A store is a bucket that holds copies of files: a backup, or the place that visitors are served
              from.
            </EmptyPlace>
          </div>
        )}
      </div>
      {edited && <StoreDialog store={edited === 'new' ? null : edited} onClose={() => setEdited(null)} />}
      {examined && <FindingsDialog store={examined} onClose={() => setExamined(null)} />}
    </Page>
  );
}

interface StoreRowProps {
  store: StoreAnswer;
  /** The bytes of the largest store. */
  most: number;
  mayWrite: boolean;
  onEdit: () => void;
  onExamine: () => void;
}

function StoreRow({ store, most, mayWrite, onEdit, onExamine }: StoreRowProps) {
  const { name, isHome, connection, bucket, region, prefix, publicUrl } = store;
  return (
    <li className="grid grid-cols-1 items-start gap-x-8 gap-y-2 border-b border-rule px-6 py-3 lg:grid-cols-[minmax(0,1fr)_13rem_34.5rem]">
      <div className="min-w-0">
        <h2 className="truncate font-semibold" dir="auto">
          {name}
          <span className="ml-2 text-sm font-normal text-soft">
            {isHome ? 'home store' : connection?.name}
          </span>
        </h2>
        <p className="truncate font-mono text-xs leading-5 text-soft">
          {bucket === null ? 'a disk of this server' : `${bucket}/${prefix ?? ''} (${region})`}
        </p>
        <p className="truncate text-sm text-soft">
          {isHome
            ? 'Every file arrives here.'
            : publicUrl === null
              ? 'No public address'
              : `Public at ${publicUrl}`}
        </p>
      </div>
      <StoreFigures store={store} most={most} onExamine={onExamine} />
      {mayWrite && <StoreActions store={store} onEdit={onEdit} onExamine={onExamine} />}
    </li>
  );
}

function StoreFigures({ store, most, onExamine }: Pick<StoreRowProps, 'store' | 'most' | 'onExamine'>) {
  const { copies, bytes, waiting, damaged, auditedAt, isHome } = store;
  return (
    <div className="flex flex-col gap-1 text-sm">
      <p className="flex justify-between gap-4">
        <span>{formatCount(copies, isHome ? 'file' : 'copy', isHome ? 'files' : 'copies')}</span>
        <span className="figure">{formatBytes(bytes)}</span>
      </p>
      <span aria-hidden="true" className="h-1 bg-rule">
        <span className="block h-full bg-soft" style={{ width: `${(100 * bytes) / most}%` }} />
      </span>
      <p className="flex h-5 gap-4 text-soft">
        {waiting > 0 && <StateMark state="waiting" count={waiting} />}
        {damaged > 0 && (
          <button type="button" className="hover:underline" onClick={onExamine}>
            <StateMark state="damaged" count={damaged} />
          </button>
        )}
        {waiting + damaged === 0 && (auditedAt ? `audited ${formatAgo(auditedAt)}` : 'never audited')}
      </p>
    </div>
  );
}

function StoreActions({ store, onEdit, onExamine }: Pick<StoreRowProps, 'store' | 'onEdit' | 'onExamine'>) {
  const { id, name, isHome } = store;
  const { audit, remove } = useStoreChanges();
  const [isAsking, setAsking] = useState(false);
  if (isAsking)
    return (
      <DeleteQuestion
        about="Nothing is deleted in the bucket."
        action="Delete store"
        isPending={remove.isPending}
        error={remove.error}
        onDelete={() => remove.mutate(id)}
        onKeep={() => setAsking(false)}
      />
    );
  return (
    <div className="flex flex-col items-end gap-1">
      <div className="flex items-center gap-1">
        <AuditButtons
          name={name}
          isPending={audit.isPending}
          onAudit={(mode) => audit.mutate({ id, mode })}
        />
        <Button look="quiet" aria-label={`Findings in ${name}`} onClick={onExamine}>
          Findings
        </Button>
        {!isHome && (
          <>
            <Button look="quiet" aria-label={`Edit ${name}`} onClick={onEdit}>
              Edit
            </Button>
            <Button look="quiet" aria-label={`Delete ${name}`} onClick={() => setAsking(true)}>
              Delete
            </Button>
          </>
        )}
        <AsCode
          code={{
            ...{ method: 'POST', path: `/stores/${id}/audit`, body: { mode: 'sample' } },
            client: `const { run } = await uniferum.stores.audit('${id}', 'sample');`,
            command: `uniferum stores ${id} --audit sample`,
          }}
        />
      </div>
      <FailureLine error={audit.error} />
      {audit.data && <p className="text-sm text-soft">{audit.data.run.title} has begun.</p>}
    </div>
  );
}

const AUDITS: readonly { mode: AuditMode; word: string; about: string }[] = [
  { mode: 'list', word: 'Audit', about: 'Lists the store and compares it with the library' },
  { mode: 'sample', word: 'with sample', about: 'Also reads 200 files and compares their checksums' },
  { mode: 'full', word: 'in full', about: 'Also reads every file and compares its checksum' },
];

interface AuditButtonsProps {
  name: string;
  isPending: boolean;
  onAudit: (mode: AuditMode) => void;
}

function AuditButtons({ name, isPending, onAudit }: AuditButtonsProps) {
  return (
    <span className="flex">
      {AUDITS.map(({ mode, word, about }, n) => (
        <Button
          key={mode}
          title={about}
          aria-label={`Audit ${name}${n > 0 ? ` ${word}` : ''}`}
          disabled={isPending}
          className={classNames(n > 0 && '-ml-px')}
          onClick={() => onAudit(mode)}
        >
          {word}
        </Button>
      ))}
    </span>
  );
}
