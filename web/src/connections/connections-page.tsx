import type { ConnectionAnswer } from '@uniferum/core/connections';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { DeleteQuestion } from '../ui/delete-question.js';
import { formatAgo } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { TestSteps } from '../ui/test-steps.js';
import { ConnectionDialog } from './connection-dialog.js';
import { ConnectionsViews } from './connections-views.js';
import { useConnectionChanges, useConnections } from './hooks.js';

/** Connections to outside systems. */
export function ConnectionsPage() {
  const { data: connections, error } = useConnections();
  const mayWrite = useRight('connections:write');
  const [edited, setEdited] = useState<ConnectionAnswer | 'new' | null>(null);
  const onAdd = () => setEdited('new');
  return (
    <Page
      title="Connections"
      note="Addresses and credentials of outside systems."
      actions={
        mayWrite && (
          <Button look="main" onClick={onAdd}>
            <Plus className="size-4" aria-hidden="true" /> New bucket
          </Button>
        )
      }
    >
      <ConnectionsViews />
      {error && <ErrorNotice error={error} />}
      <div className="min-h-0 flex-1 overflow-y-auto">
        {connections?.length === 0 && (
          <div className="p-6">
            <EmptyPlace
              title="No connections yet"
              action={mayWrite && <Button onClick={onAdd}>Add a bucket</Button>}
            >
              A connection holds the address and credentials of an outside system, such as a bucket for copies
              of files. Its secret is stored encrypted.
            </EmptyPlace>
          </div>
        )}
        <ul>
          {connections?.map((connection) => (
            <ConnectionRow
              key={connection.id}
              connection={connection}
              mayWrite={mayWrite}
              onEdit={() => setEdited(connection)}
            />
          ))}
        </ul>
      </div>
      {edited && (
        <ConnectionDialog connection={edited === 'new' ? null : edited} onClose={() => setEdited(null)} />
      )}
    </Page>
  );
}

interface ConnectionRowProps {
  connection: ConnectionAnswer;
  mayWrite: boolean;
  onEdit: () => void;
}

function ConnectionRow({ connection, mayWrite, onEdit }: ConnectionRowProps) {
  const { id, name, settings } = connection;
  const { remove, test } = useConnectionChanges();
  const [isAsking, setAsking] = useState(false);
  return (
    <li className="grid grid-cols-1 items-start gap-x-6 gap-y-2 border-b border-rule px-6 py-3 lg:grid-cols-[minmax(0,1fr)_auto_auto]">
      <div className="min-w-0">
        <h2 className="truncate font-semibold" dir="auto">
          {name}
        </h2>
        <p className="truncate font-mono text-xs leading-5 text-soft">{placeOf(settings)}</p>
        <p className="truncate text-sm text-soft">
          {settings.publicUrl === null ? 'No public address' : `Public at ${settings.publicUrl}`}
        </p>
        <FailureLine error={test.error} />
        {test.data && <TestSteps steps={test.data.steps} />}
      </div>
      <p className="text-sm text-soft lg:pt-1 lg:text-right">
        Access key <span className="font-mono">{settings.accessKey}</span>
        <br />
        {connection.secretSetAt ? `secret set ${formatAgo(connection.secretSetAt)}` : 'no secret'}
      </p>
      {mayWrite &&
        (isAsking ? (
          <DeleteQuestion
            about="Nothing is deleted in the bucket."
            action="Delete connection"
            isPending={remove.isPending}
            error={remove.error}
            onDelete={() => remove.mutate(id)}
            onKeep={() => setAsking(false)}
          />
        ) : (
          <div className="flex items-center gap-1 justify-self-end">
            <Button aria-label={`Test ${name}`} disabled={test.isPending} onClick={() => test.mutate(id)}>
              {test.isPending ? 'Testing …' : 'Test'}
            </Button>
            <Button look="quiet" aria-label={`Edit ${name}`} onClick={onEdit}>
              Edit
            </Button>
            <Button look="quiet" aria-label={`Delete ${name}`} onClick={() => setAsking(true)}>
              Delete
            </Button>
            <AsCode
              code={{
                method: 'POST',
                path: `/connections/${id}/test`,
                client: `const { steps } = await uniferum.connections.test('${id}');`,
                command: `uniferum connections ${id} --test`,
              }}
            />
          </div>
        ))}
    </li>
  );
}

function placeOf({ endpoint, bucket, prefix, region }: ConnectionAnswer['settings']): string {
  return `${endpoint}/${bucket}/${prefix} (${region})`;
}
