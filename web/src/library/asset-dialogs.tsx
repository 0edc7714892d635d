import type { AssetPatch } from '@uniferum/client';
import type { Asset } from '@uniferum/core/library';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, TextArea } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { FolderPicker } from './folder-picker.js';
import { useLibraryChanges } from './hooks.js';

interface AssetDialogProps {
  asset: Asset;
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

interface Texts {
  name: string;
  folder: string;
  title: string;
  alt: string;
  caption: string;
  credit: string;
  keywords: string;
  capturedAt: string;
}

/** Edits an asset's texts, name and folder. */
export function EditAssetDialog({ asset, isOpen, onOpenChange }: AssetDialogProps) {
  const { changeAsset } = useLibraryChanges();
  const form = useForm<Texts>({ defaultValues: toForm(asset) });
  const patch = toPatch(asset, form.watch());
  const submit = form.handleSubmit(async (texts) => {
    const change = toPatch(asset, texts);
    if (Object.keys(change).length > 0) await changeAsset.mutateAsync({ id: asset.id, patch: change });
    onOpenChange(false);
  });
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={asset.name}
      unsaved={Object.keys(patch).length > 0 ? 'Your changes have not been saved.' : null}
      description="A new name or folder gives a new address; the old one leads there."
    >
      <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
        <TextFields form={form} />
        <PlaceFields form={form} />
        <FormFoot
          error={changeAsset.error}
          code={{
            method: 'PATCH',
            path: `/assets/${asset.id}`,
            body: patch,
            client: `await uniferum.assets.change('${asset.id}', ${JSON.stringify(patch, null, 2)});`,
            command: editCommand(asset.id, patch),
          }}
        >
          <Button look="main" type="submit" disabled={changeAsset.isPending}>
            Save
          </Button>
        </FormFoot>
      </form>
    </Dialog>
  );
}

interface FieldsProps {
  form: UseFormReturn<Texts>;
}

function TextFields({ form: { register } }: FieldsProps) {
  return (
    <>
      <Field label="Title">{(props) => <Input autoFocus {...props} {...register('title')} />}</Field>
      <Field label="Alternative text" hint="What somebody who can't see the picture needs to know.">
        {(props) => <TextArea rows={2} {...props} {...register('alt')} />}
      </Field>
      <Field label="Caption">{(props) => <TextArea rows={2} {...props} {...register('caption')} />}</Field>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Credit">{(props) => <Input {...props} {...register('credit')} />}</Field>
        <Field label="Taken" hint="UTC">
          {(props) => <Input type="datetime-local" step="1" {...props} {...register('capturedAt')} />}
        </Field>
      </div>
      <Field label="Keywords" hint="Separated by commas.">
        {(props) => <Input {...props} {...register('keywords')} />}
      </Field>
    </>
  );
}

function PlaceFields({ form: { register, formState, watch, setValue } }: FieldsProps) {
  return (
    <div className="grid grid-cols-2 gap-4">
      <Field label="Name" error={formState.errors.name?.message}>
        {(props) => (
          <Input className="font-mono" {...props} {...register('name', { required: 'Write a name.' })} />
        )}
      </Field>
      <Field label="Folder">
        {(props) => (
          <FolderPicker
            {...props}
            value={watch('folder')}
            onChange={(path) => setValue('folder', path, { shouldDirty: true })}
          />
        )}
      </Field>
    </div>
  );
}

/** Moves an asset to the bin. */
export function RemoveAssetDialog({
  asset,
  isOpen,
  onOpenChange,
  onRemoved,
}: AssetDialogProps & { onRemoved: () => void }) {
  const { removeAsset } = useLibraryChanges();
  const remove = async () => {
    await removeAsset.mutateAsync(asset.id);
    onOpenChange(false);
    onRemoved();
  };
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title={`Put ${asset.name} into the bin?`}
      description="Its addresses and those of its renditions stop answering. It is kept in the bin with its versions until the bin is emptied."
    >
      <div className="flex flex-col gap-4">
        <FormFoot error={removeAsset.error} code={removeCode(asset.id)}>
          <Button look="fault" disabled={removeAsset.isPending} onClick={() => void remove().catch(() => {})}>
            Put it into the bin
          </Button>
        </FormFoot>
      </div>
    </Dialog>
  );
}

function removeCode(id: string) {
  return {
    method: 'DELETE' as const,
    path: `/assets/${id}`,
    client: `await uniferum.assets.remove('${id}');\n// and back again:\nawait uniferum.assets.restore('${id}');`,
    command: commandLine('set', id, '--bin'),
  };
}

function toForm(asset: Asset): Texts {
  return {
    name: asset.name,
    folder: asset.folder.path,
    title: asset.title ?? '',
    alt: asset.alt ?? '',
    caption: asset.caption ?? '',
    credit: asset.credit ?? '',
    keywords: asset.keywords.join(', '),
    capturedAt: asset.capturedAt?.slice(0, 19) ?? '',
  };
}

/** Only the changed fields. */
function toPatch(asset: Asset, texts: Texts): AssetPatch {
  const before = toForm(asset);
  const patch: AssetPatch = {};
  for (const field of ['name', 'folder', 'title', 'alt', 'caption', 'credit'] as const) {
    if (texts[field] !== before[field]) patch[field] = texts[field];
  }
  if (texts.keywords !== before.keywords) patch.keywords = splitKeywords(texts.keywords);
  if (texts.capturedAt !== before.capturedAt)
    patch.capturedAt = texts.capturedAt === '' ? null : new Date(`${texts.capturedAt}Z`).toISOString();
  return patch;
}

function splitKeywords(text: string): string[] {
  return [...new Set(text.split(',').map((word) => word.trim()))].filter((word) => word !== '');
}

function editCommand(id: string, patch: AssetPatch): string {
  const given = (name: string, value: string | null | undefined) =>
    value === undefined ? [] : [name, value ?? ''];
  return commandLine(
    'set',
    id,
    ...given('--title', patch.title),
    ...given('--alt', patch.alt),
    ...given('--caption', patch.caption),
    ...given('--credit', patch.credit),
    ...given('--keywords', patch.keywords?.join(', ')),
    ...given('--captured', patch.capturedAt),
    ...given('--name', patch.name),
    ...given('--folder', patch.folder),
  );
}
