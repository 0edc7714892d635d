import type { NewPageSource } from '@uniferum/client';
import { useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useSourceChanges } from './hooks.js';

interface SourceForm {
  name: string;
  path: string;
  url: string;
}

/** Adds a folder of documents. */
export function AddSourceDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="New page source"
      description="A folder of HTML, Markdown, CSS, JSON or XML documents on the server. They are only read."
    >
      <AddSourceForm onDone={onClose} />
    </Dialog>
  );
}

function AddSourceForm({ onDone }: { onDone: () => void }) {
  const { add } = useSourceChanges();
  const { register, handleSubmit, formState, watch } = useForm<SourceForm>({
    defaultValues: { name: '', path: '', url: '' },
  });
  const source = toSource(watch());
  const { errors } = formState;
  useUnsavedChanges(formState.isDirty ? 'The source has not been added.' : null);
  const submit = handleSubmit(async (form) => {
    await add.mutateAsync(toSource(form));
    onDone();
  });
  return (
    <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
      <Field label="Name" error={errors.name?.message}>
        {(props) => (
          <Input
            autoFocus
            placeholder="Guide"
            {...props}
            {...register('name', { required: 'Enter a name.' })}
          />
        )}
      </Field>
      <Field
        label="Folder"
        hint="Below a folder that UNIFERUM_SOURCE_DIRS names."
        error={errors.path?.message}
      >
        {(props) => (
          <Input
            className="font-mono"
            placeholder="/srv/site/guide"
            {...props}
            {...register('path', { required: 'Enter the path of the folder on the server.' })}
          />
        )}
      </Field>
      <Field
        label="Address"
        hint="Where the folder is served, if it is. Relative addresses are resolved against it."
      >
        {(props) => (
          <Input type="url" className="font-mono" placeholder="https://" {...props} {...register('url')} />
        )}
      </Field>
      <FormFoot
        error={add.error}
        code={{
          method: 'POST',
          path: '/sources',
          body: source,
          client: `await uniferum.sources.add(${JSON.stringify(source, null, 2)});`,
          command: commandLine(
            'sources',
            '--add',
            source.name,
            '--path',
            source.settings.path,
            ...(source.settings.url ? ['--url', source.settings.url] : []),
          ),
        }}
      >
        <Button look="main" type="submit" disabled={add.isPending}>
          Add source
        </Button>
      </FormFoot>
    </form>
  );
}

function toSource({ name, path, url }: SourceForm): NewPageSource {
  return { kind: 'folder', name, settings: { path, ...(url !== '' && { url }) } };
}
