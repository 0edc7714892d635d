import type { ReactNode } from 'react';
import { useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { FieldRow, TextField } from '../ui/text-field.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useSourceChanges } from './hooks.js';
import { type AddedKind, EMPTY_SOURCE, SOURCE_WORDS, type SourceForm, toSource } from './source-form.js';

/** Adds a place where pages come from. */
export function AddSourceDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="New page source"
      description="Uniferum reads its pages and finds every place where a file of the library is used."
    >
      <AddSourceForm onDone={onClose} />
    </Dialog>
  );
}

function AddSourceForm({ onDone }: { onDone: () => void }) {
  const { add } = useSourceChanges();
  const form = useForm<SourceForm>({ defaultValues: EMPTY_SOURCE });
  const { register, handleSubmit, formState, watch } = form;
  const values = watch();
  const source = toSource(values);
  useUnsavedChanges(formState.isDirty ? 'The source has not been added.' : null);
  const submit = handleSubmit(async (sent) => {
    await add.mutateAsync(toSource(sent));
    onDone();
  });
  return (
    <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
      <Field label="Kind" hint={SOURCE_WORDS[values.kind].about}>
        {(props) => (
          <Select {...props} {...register('kind')}>
            {Object.entries(SOURCE_WORDS).map(([kind, { name }]) => (
              <option key={kind} value={kind}>
                {name}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <TextField form={form} name="name" label="Name" placeholder="Guide" needed="Enter a name." autoFocus />
      {FIELDS[values.kind](form)}
      <FormFoot
        error={add.error}
        code={{
          method: 'POST',
          path: '/sources',
          body: withoutSecret(source),
          client: `await uniferum.sources.add(${JSON.stringify(withoutSecret(source), null, 2)});`,
          command: commandOf(values),
        }}
      >
        <Button look="main" type="submit" disabled={add.isPending}>
          Add source
        </Button>
      </FormFoot>
    </form>
  );
}

type Form = ReturnType<typeof useForm<SourceForm>>;

const FIELDS: Record<AddedKind, (form: Form) => ReactNode> = {
  folder: (form) => <FolderFields form={form} />,
  database: (form) => <DatabaseFields form={form} />,
  site: (form) => <SiteFields form={form} />,
};

function FolderFields({ form }: { form: Form }) {
  return (
    <>
      <TextField
        form={form}
        name="path"
        label="Folder"
        hint="Below a folder that UNIFERUM_SOURCE_DIRS names."
        placeholder="/srv/site/guide"
        needed="Enter the path of the folder on the server."
        isCode
      />
      <TextField
        form={form}
        name="url"
        label="Address"
        hint="Where the folder is served, if it is. Relative addresses are resolved against it."
        placeholder="https://"
        isCode
      />
      <Rights form={form} />
    </>
  );
}

function DatabaseFields({ form }: { form: Form }) {
  return (
    <>
      <FieldRow>
        <TextField
          form={form}
          name="host"
          label="Host"
          hint="A private host has to be named in UNIFERUM_ALLOWED_HOSTS."
          placeholder="db.example.com"
          needed="Enter the host."
          className="flex-1"
          isCode
        />
        <TextField form={form} name="port" label="Port" needed="Enter the port." className="w-24" isCode />
      </FieldRow>
      <FieldRow>
        <TextField form={form} name="user" label="User" needed="Enter the user." className="flex-1" isCode />
        <TextField form={form} name="secret" label="Password" type="password" className="flex-1" />
      </FieldRow>
      <FieldRow>
        <TextField
          form={form}
          name="database"
          label="Database"
          needed="Enter the database."
          className="flex-1"
          isCode
        />
        <TextField
          form={form}
          name="table"
          label="Table"
          needed="Enter the table."
          className="flex-1"
          isCode
        />
      </FieldRow>
      <FieldRow>
        <TextField
          form={form}
          name="key"
          label="Key"
          hint="A column whose values are unique."
          needed="Enter the key."
          className="flex-1"
          isCode
        />
        <TextField form={form} name="titleColumn" label="Title column" className="flex-1" isCode />
      </FieldRow>
      <TextField
        form={form}
        name="columns"
        label="Columns"
        hint="Columns with text, separated by commas. HTML unless a format follows: body, note:markdown."
        placeholder="body"
        needed="Enter at least one column."
        isCode
      />
      <TextField
        form={form}
        name="url"
        label="Address of a page"
        hint="Use {key} or the name of a column in braces."
        placeholder="https://www.example.com/news/{slug}"
        isCode
      />
      <Rights form={form} />
    </>
  );
}

function SiteFields({ form }: { form: Form }) {
  return (
    <>
      <TextField
        form={form}
        name="url"
        label="First page"
        hint="Pages on its host and below its folder are read, as far as robots.txt allows."
        placeholder="https://www.example.com/"
        needed="Enter the address of the first page."
        isCode
      />
      <FieldRow>
        <TextField form={form} name="depth" label="Link depth" needed="Enter a number." className="flex-1" />
        <TextField
          form={form}
          name="maxPages"
          label="Maximum pages"
          needed="Enter a number."
          className="flex-1"
        />
        <TextField
          form={form}
          name="perSecond"
          label="Requests per second"
          needed="Enter a number."
          className="flex-1"
        />
      </FieldRow>
      <Checkbox
        label="Check everything the pages link to, and report what is missing"
        className="whitespace-normal"
        {...form.register('checked')}
      />
    </>
  );
}

function Rights({ form }: { form: Form }) {
  return (
    <div className="flex flex-wrap gap-x-6 gap-y-2">
      <Checkbox label="Allow rewriting of addresses" {...form.register('writable')} />
      <Checkbox label="Index changes automatically" {...form.register('watched')} />
    </div>
  );
}

/** A password is nothing to be shown as code. */
function withoutSecret(source: ReturnType<typeof toSource>) {
  return 'secret' in source && source.secret !== undefined ? { ...source, secret: '…' } : source;
}

function commandOf({ kind, name, path, url }: SourceForm): string {
  if (kind === 'site') return commandLine('crawl', url);
  return kind === 'folder'
    ? commandLine('sources', '--add', name, '--path', path, ...(url === '' ? [] : ['--site', url]))
    : commandLine('sources', '--add', name, '--settings', 'settings.json');
}
