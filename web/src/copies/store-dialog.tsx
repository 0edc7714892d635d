import type { StoreAnswer } from '@uniferum/core/copies';
import { useForm } from 'react-hook-form';
import { useConnections } from '../connections/hooks.js';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { FieldRow, TextField } from '../ui/text-field.js';
import { TextLink } from '../ui/text-link.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useStoreChanges } from './hooks.js';

interface StoreDialogProps {
  /** Null for a new one. */
  store: StoreAnswer | null;
  onClose: () => void;
}

interface StoreForm {
  name: string;
  connection: string;
  publicUrl: string;
  auditDays: string;
}

/** Adds or changes a store. */
export function StoreDialog({ store, onClose }: StoreDialogProps) {
  const { data: connections } = useConnections();
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={store ? `Store ${store.name}` : 'New store'}
      description="A bucket that is to hold copies of files. Nothing is copied until a folder names it, or you copy files to it."
      className="w-[36rem]"
    >
      {connections && connections.length === 0 && store === null ? (
        <p className="text-sm">
          Stores use a connection to a bucket, and there is none yet.{' '}
          <TextLink to="/connections">Add a bucket first</TextLink>
        </p>
      ) : (
        connections && <StoreFields store={store} connections={connections} onDone={onClose} />
      )}
    </Dialog>
  );
}

interface StoreFieldsProps {
  store: StoreAnswer | null;
  connections: readonly { id: string; name: string }[];
  onDone: () => void;
}

function StoreFields({ store, connections, onDone }: StoreFieldsProps) {
  const { add, change } = useStoreChanges();
  const form = useForm<StoreForm>({
    defaultValues: {
      name: store?.name ?? '',
      connection: store?.connection?.id ?? connections[0]?.id ?? '',
      publicUrl: store?.publicUrl ?? '',
      auditDays: store?.auditDays === null || store === null ? '' : String(store.auditDays),
    },
  });
  const { handleSubmit, register, formState, watch } = form;
  useUnsavedChanges(formState.isDirty ? 'The store has not been saved.' : null);
  const save = handleSubmit(async (typed) => {
    if (store) await change.mutateAsync({ id: store.id, ...toPatch(typed) });
    else await add.mutateAsync({ ...toPatch(typed), connection: typed.connection });
    onDone();
  });
  return (
    <form onSubmit={(event) => void save(event).catch(() => {})} className="flex flex-col gap-4">
      <FieldRow>
        <TextField
          form={form}
          name="name"
          label="Name"
          hint="Folders and scripts name it so."
          placeholder="offsite"
          needed="Enter a name."
          className="min-w-48 flex-1"
          autoFocus
        />
        <Field label="Connection" className="min-w-48 flex-1">
          {(props) => (
            <Select {...props} {...register('connection')} disabled={store !== null}>
              {connections.map(({ id, name }) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      </FieldRow>
      <FieldRow>
        <TextField
          form={form}
          name="publicUrl"
          label="Address of a content network"
          hint="Empty takes the connection's public address."
          placeholder="https://media.example"
          className="min-w-64 flex-[2]"
          isCode
        />
        <Field label="Audit" className="min-w-32 flex-1">
          {(props) => (
            <Select {...props} {...register('auditDays')}>
              <option value="">when asked</option>
              <option value="1">every day</option>
              <option value="7">every week</option>
              <option value="30">every month</option>
            </Select>
          )}
        </Field>
      </FieldRow>
      <FormFoot error={add.error ?? change.error} code={codeOf(store, watch())}>
        <Button look="main" type="submit" disabled={add.isPending || change.isPending}>
          {store ? 'Save store' : 'Add store'}
        </Button>
      </FormFoot>
    </form>
  );
}

function toPatch({ name, publicUrl, auditDays }: StoreForm) {
  return {
    name: name.trim(),
    publicUrl: publicUrl.trim() === '' ? null : publicUrl.trim(),
    auditDays: auditDays === '' ? null : Number(auditDays),
  };
}

function codeOf(store: StoreAnswer | null, typed: StoreForm) {
  const body = store ? toPatch(typed) : { ...toPatch(typed), connection: typed.connection };
  const json = JSON.stringify(body, null, 2);
  return store
    ? {
        ...{ method: 'PATCH' as const, path: `/stores/${store.id}`, body },
        client: `await uniferum.stores.change('${store.id}', ${json});`,
      }
    : {
        ...{ method: 'POST' as const, path: '/stores', body },
        client: `await uniferum.stores.add(${json});`,
        command: commandLine('stores', '--add', typed.name || 'offsite', '--connection', typed.connection),
      };
}
