import { formatCount } from '@uniferum/core/intake';
import { type Folder, joinPath, parentPath, parseFolderPath } from '@uniferum/core/library';
import { useForm } from 'react-hook-form';
import { useNavigate } from 'react-router';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { libraryAddress } from './address.js';
import { FolderPicker } from './folder-picker.js';
import { useLibraryChanges } from './hooks.js';

interface FolderDialogProps {
  folder: Folder;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

function checkName(name: string): true | string {
  const parsed = parseFolderPath(name);
  if (!parsed.ok) return `${parsed.reason}.`;
  return parsed.path === '/' ? 'Enter a name.' : true;
}

/** Creates a subfolder. */
export function MakeFolderDialog({ folder, isOpen, onOpenChange }: FolderDialogProps) {
  const { register, handleSubmit, formState, watch } = useForm({ defaultValues: { name: '' } });
  const { makeFolder } = useLibraryChanges();
  const navigate = useNavigate();
  const pathOf = (name: string) => joinPath(folder.path, name.trim());
  const submit = handleSubmit(async ({ name }) => {
    const made = await makeFolder.mutateAsync(pathOf(name));
    onOpenChange(false);
    void navigate(libraryAddress(made.path));
  });
  const path = pathOf(watch('name') || 'new-folder');
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title="New folder"
      unsaved={formState.isDirty ? 'The folder has not been created.' : null}
      description={`It will be created in ${folder.path} and inherit its rules.`}
    >
      <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
        <Field label="Name" hint="Part of the addresses of its files." error={formState.errors.name?.message}>
          {(props) => <Input autoFocus {...props} {...register('name', { validate: checkName })} />}
        </Field>
        <FormFoot
          error={makeFolder.error}
          code={{
            method: 'POST',
            path: '/folders',
            body: { path },
            client: `await uniferum.folders.make('${path}');`,
          }}
        >
          <Button look="main" type="submit" disabled={makeFolder.isPending}>
            Create folder
          </Button>
        </FormFoot>
      </form>
    </Dialog>
  );
}

/** Renames and moves a folder. */
export function ChangeFolderDialog({ folder, isOpen, onOpenChange }: FolderDialogProps) {
  const { register, handleSubmit, formState, setValue, watch } = useForm({
    defaultValues: { name: folder.name, parent: parentPath(folder.path) ?? '/' },
  });
  const { changeFolder } = useLibraryChanges();
  const navigate = useNavigate();
  const submit = handleSubmit(async (patch) => {
    const changed = await changeFolder.mutateAsync({ id: folder.id, patch });
    onOpenChange(false);
    void navigate(libraryAddress(changed.path));
  });
  const patch = watch();
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Rename or move ${folder.name}`}
      unsaved={formState.isDirty ? 'The folder has not been changed.' : null}
      description={`The old addresses of ${formatCount(folder.deepItems, 'item')} will redirect to the new ones.`}
    >
      <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
        <Field label="Name" error={formState.errors.name?.message}>
          {(props) => <Input {...props} {...register('name', { validate: checkName })} />}
        </Field>
        <Field label="Parent folder">
          {(props) => (
            <FolderPicker
              {...props}
              value={patch.parent}
              except={folder.path}
              onChange={(path) => setValue('parent', path, { shouldDirty: true })}
            />
          )}
        </Field>
        <FormFoot error={changeFolder.error} code={changeCode(folder.id, patch)}>
          <Button look="main" type="submit" disabled={changeFolder.isPending}>
            Save
          </Button>
        </FormFoot>
      </form>
    </Dialog>
  );
}

/** Deletes an empty folder. */
export function RemoveFolderDialog({ folder, isOpen, onOpenChange }: FolderDialogProps) {
  const { removeFolder } = useLibraryChanges();
  const navigate = useNavigate();
  const remove = async () => {
    await removeFolder.mutateAsync(folder.id);
    onOpenChange(false);
    void navigate(libraryAddress(parentPath(folder.path) ?? '/'));
  };
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Delete ${folder.name}?`}
      description="Only an empty folder can be deleted. Its contents are never deleted with it."
    >
      <div className="flex flex-col gap-4">
        <p>
          {folder.deepItems > 0
            ? `${folder.path} holds ${formatCount(folder.deepItems, 'item')}. Move them first.`
            : `${folder.path} is empty.`}
        </p>
        <FormFoot error={removeFolder.error} code={removeCode(folder.id)}>
          <Button
            look="fault"
            disabled={folder.deepItems > 0 || removeFolder.isPending}
            onClick={() => void remove().catch(() => {})}
          >
            Delete
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function removeCode(id: string) {
  return {
    method: 'DELETE' as const,
    path: `/folders/${id}`,
    client: `await uniferum.folders.remove('${id}');`,
  };
}

function changeCode(id: string, patch: { name: string; parent: string }) {
  return {
    method: 'PATCH' as const,
    path: `/folders/${id}`,
    body: patch,
    client: `await uniferum.folders.change('${id}', ${JSON.stringify(patch)});`,
  };
}
