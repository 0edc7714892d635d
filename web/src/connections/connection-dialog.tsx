import type { Tagged } from '@uniferum/client';
import type { ConnectionAnswer } from '@uniferum/core/connections';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { TestSteps } from '../ui/test-steps.js';
import { FieldRow, TextField } from '../ui/text-field.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import {
  type ConnectionForm,
  EMPTY_CONNECTION,
  fromConnection,
  toNewConnection,
  toPatch,
  toTest,
} from './connection-form.js';
import { useConnectionChanges, useTaggedConnection } from './hooks.js';

interface ConnectionDialogProps {
  /** Null for a new one. */
  connection: ConnectionAnswer | null;
  onClose: () => void;
}

/** Adds or changes a connection to a bucket. */
export function ConnectionDialog({ connection, onClose }: ConnectionDialogProps) {
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={connection ? `Connection ${connection.name}` : 'New bucket'}
      description="Any store with the common bucket interface and version 4 signatures works."
      className="w-[44rem]"
    >
      {connection ? (
        <SavedBucket id={connection.id} onDone={onClose} />
      ) : (
        <BucketForm saved={null} onDone={onClose} />
      )}
    </Dialog>
  );
}

/** Edits the connection as it is now: the list may be older. */
function SavedBucket({ id, onDone }: { id: string; onDone: () => void }) {
  const { data, error } = useTaggedConnection(id);
  if (error) return <ErrorNotice error={error} />;
  return data ? (
    <BucketForm saved={data} onDone={onDone} />
  ) : (
    <p className="h-[32rem] text-soft">Loading …</p>
  );
}

interface BucketFormProps {
  /** Null for a new one. */
  saved: Tagged<ConnectionAnswer> | null;
  onDone: () => void;
}

function BucketForm({ saved, onDone }: BucketFormProps) {
  const connection = saved?.value ?? null;
  const { add, change, testSettings } = useConnectionChanges();
  const form = useForm<ConnectionForm>({
    defaultValues: connection ? fromConnection(connection) : EMPTY_CONNECTION,
  });
  const { handleSubmit, formState, watch } = form;
  useUnsavedChanges(formState.isDirty ? 'The connection has not been saved.' : null);
  const save = handleSubmit(async (typed) => {
    if (saved) await change.mutateAsync({ ...toPatch(typed), id: saved.value.id, ifMatch: saved.etag });
    else await add.mutateAsync(toNewConnection(typed));
    onDone();
  });
  const test = handleSubmit(async (typed) => {
    await testSettings.mutateAsync(toTest(typed, connection?.id ?? null));
  });
  return (
    <form onSubmit={(event) => void save(event).catch(() => {})} className="flex flex-col gap-4">
      <PlaceFields form={form} />
      <AccountFields form={form} hasSecret={connection !== null} />
      <ServingFields form={form} />
      <FormFoot error={add.error ?? change.error ?? testSettings.error} code={codeOf(connection, watch())}>
        <Button look="main" type="submit" disabled={add.isPending || change.isPending}>
          {connection ? 'Save connection' : 'Add bucket'}
        </Button>
        <Button disabled={testSettings.isPending} onClick={(event) => void test(event).catch(() => {})}>
          {testSettings.isPending ? 'Testing …' : 'Test'}
        </Button>
      </FormFoot>
      {/* Below the buttons, which stay in sight. */}
      {testSettings.data && <TestSteps steps={testSettings.data.steps} />}
    </form>
  );
}

interface Fields {
  form: UseFormReturn<ConnectionForm>;
}

function PlaceFields({ form }: Fields) {
  return (
    <>
      <TextField
        form={form}
        name="name"
        label="Name"
        placeholder="Media bucket"
        needed="Enter a name."
        autoFocus
      />
      <FieldRow>
        <TextField
          form={form}
          name="endpoint"
          label="Endpoint"
          hint="The address of the store, without the bucket."
          placeholder="https://objects.example"
          needed="Enter the address of the store."
          className="min-w-64 flex-[2]"
          isCode
        />
        <TextField
          form={form}
          name="region"
          label="Region"
          needed="Enter the region."
          className="min-w-32 flex-1"
          isCode
        />
      </FieldRow>
      <FieldRow>
        <TextField
          form={form}
          name="bucket"
          label="Bucket"
          needed="Enter the name of the bucket."
          className="min-w-40 flex-1"
          isCode
        />
        <TextField
          form={form}
          name="prefix"
          label="Key prefix"
          hint="What every key starts with."
          placeholder="site/"
          className="min-w-40 flex-1"
          isCode
        />
        <Field label="Address style" className="min-w-40 flex-1">
          {(props) => (
            <Select {...props} {...form.register('addressing')}>
              <option value="path">bucket in the path</option>
              <option value="virtual-host">bucket before the host</option>
            </Select>
          )}
        </Field>
      </FieldRow>
    </>
  );
}

function AccountFields({ form, hasSecret }: Fields & { hasSecret: boolean }) {
  return (
    <FieldRow>
      <TextField
        form={form}
        name="accessKey"
        label="Access key"
        needed="Enter the access key."
        className="min-w-56 flex-1"
        isCode
      />
      <TextField
        form={form}
        name="secret"
        label="Secret"
        type="password"
        hint={hasSecret ? 'Leave empty to keep the stored secret.' : 'Stored encrypted, never shown again.'}
        {...(hasSecret ? {} : { needed: 'Enter the secret of the access key.' })}
        className="min-w-56 flex-1"
      />
    </FieldRow>
  );
}

function ServingFields({ form }: Fields) {
  return (
    <FieldRow>
      <TextField
        form={form}
        name="publicUrl"
        label="Public address"
        hint="Where anyone can read the objects, if they are public."
        placeholder="https://media.example"
        className="min-w-64 flex-[2]"
        isCode
      />
      <TextField
        form={form}
        name="maxParallel"
        label="Parallel requests"
        needed="Enter a number."
        className="min-w-32 flex-1"
      />
      <TextField
        form={form}
        name="maxPerSecond"
        label="Requests per second"
        placeholder="no limit"
        className="min-w-32 flex-1"
      />
    </FieldRow>
  );
}

/** A secret is nothing to be shown as code. */
function codeOf(connection: ConnectionAnswer | null, typed: ConnectionForm) {
  const shown = { ...typed, secret: typed.secret === '' ? '' : '…' };
  const body = connection ? toPatch(shown) : toNewConnection(shown);
  const json = JSON.stringify(body, null, 2);
  return connection
    ? {
        ...{ method: 'PATCH' as const, path: `/connections/${connection.id}`, body },
        client: `await uniferum.connections.change('${connection.id}', ${json});`,
        command: commandLine('connections', connection.id, '--change', 'bucket.json'),
      }
    : {
        ...{ method: 'POST' as const, path: '/connections', body },
        client: `await uniferum.connections.add(${json});`,
        command: commandLine('connections', '--add', 'bucket.json'),
      };
}
