import type { AssetPatch, Tagged } from '@uniferum/client';
import type { Asset, Visibility } from '@uniferum/core/library';
import { useState } from 'react';
import { type UseFormReturn, useForm } from 'react-hook-form';
import { Button } from '../ui/button.js';
import { commandLine } from '../ui/command-line.js';
import { Conflicts } from '../ui/conflicts.js';
import { Dialog } from '../ui/dialog.js';
import { Field, Input, Select, TextArea } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { FolderPicker } from './folder-picker.js';
import { useOpenedAsset, useSaveAsset } from './hooks.js';

interface EditAssetDialogProps {
  /** The asset for which the dialog was opened; it stays with it. */
  asset: Asset;
  onClose: () => void;
}

/** Edits an asset's texts, name and folder. */
export function EditAssetDialog({ asset, onClose }: EditAssetDialogProps) {
  const { data: opened, error } = useOpenedAsset(asset.id);
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={asset.name}
      description="A new name or folder changes the address; the old one redirects."
    >
      {error && <ErrorNotice error={error} />}
      {opened ? (
        <EditForm
          id={asset.id}
          opened={{ value: toForm(opened.value), etag: opened.etag }}
          onDone={onClose}
        />
      ) : (
        !error && <div className="h-[27rem]" />
      )}
    </Dialog>
  );
}

interface Texts {
  name: string;
  folder: string;
  title: string;
  alt: string;
  caption: string;
  credit: string;
  keywords: string;
  /** As the camera's clock showed it. */
  capturedAt: string;
  capturedOffset: string;
  /** Empty takes what the folder says. */
  visibility: Visibility | '';
}

interface EditFormProps {
  id: string;
  opened: Tagged<Texts>;
  onDone: () => void;
}

function EditForm({ id, opened, onDone }: EditFormProps) {
  const save = useSaveAsset(id, { toFields: toForm, toPatch });
  const form = useForm<Texts>({ defaultValues: opened.value });
  // The values that were last read: what differs from them is sent.
  const [base, setBase] = useState(opened);
  const patch = toPatch(base.value, form.watch());
  useUnsavedChanges(Object.keys(patch).length > 0 ? 'Your changes have not been saved.' : null);
  const submit = form.handleSubmit(async (mine) => {
    const unresolved = await save.mutateAsync({ base, mine });
    if (unresolved === null) return onDone();
    setBase(unresolved.base);
    form.reset(unresolved.mine);
  });
  return (
    <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
      <TextFields form={form} />
      <PlaceFields form={form} />
      <Conflicts
        what="this asset"
        conflicts={save.data?.conflicts ?? []}
        wordsOf={(field) => LABELS[field]}
        onChoose={(field, value) => form.setValue(field, value as string)}
      />
      <FormFoot error={save.error} code={editCode(id, patch)}>
        <Button look="main" type="submit" disabled={save.isPending}>
          Save
        </Button>
      </FormFoot>
    </form>
  );
}

const LABELS: Record<keyof Texts, string> = {
  title: 'Title',
  alt: 'Alternative text',
  caption: 'Caption',
  credit: 'Credit',
  capturedAt: 'Taken',
  capturedOffset: 'UTC offset',
  keywords: 'Keywords',
  name: 'Name',
  folder: 'Folder',
  visibility: 'Who may read it',
};

interface FieldsProps {
  form: UseFormReturn<Texts>;
}

function TextFields({ form: { register, formState } }: FieldsProps) {
  return (
    <>
      <Field label="Title">{(props) => <Input autoFocus {...props} {...register('title')} />}</Field>
      <Field label="Alternative text" hint="What somebody who can't see the picture needs to know.">
        {(props) => <TextArea rows={2} {...props} {...register('alt')} />}
      </Field>
      <Field label="Caption">{(props) => <TextArea rows={2} {...props} {...register('caption')} />}</Field>
      <div className="grid grid-cols-1 gap-4 sm:grid-cols-[1fr_auto_7rem]">
        <Field label="Credit">{(props) => <Input {...props} {...register('credit')} />}</Field>
        <Field label="Taken" hint="As the camera's clock showed it.">
          {(props) => <Input type="datetime-local" step="1" {...props} {...register('capturedAt')} />}
        </Field>
        <Field
          label="UTC offset"
          hint="Empty if unknown."
          error={formState.errors.capturedOffset && 'Enter an offset such as +02:00.'}
        >
          {(props) => (
            <Input
              className="font-mono"
              placeholder="+02:00"
              {...props}
              {...register('capturedOffset', { pattern: OFFSET })}
            />
          )}
        </Field>
      </div>
      <Field label="Keywords" hint="Separated by commas.">
        {(props) => <Input {...props} {...register('keywords')} />}
      </Field>
    </>
  );
}

/** From -14:00 to +14:00. */
const OFFSET = /^[+-](?:0\d|1[0-4]):[0-5]\d$/;

function PlaceFields({ form: { register, formState, watch, setValue } }: FieldsProps) {
  return (
    <div className="grid grid-cols-1 gap-4 sm:grid-cols-3">
      <Field label="Name" error={formState.errors.name?.message}>
        {(props) => (
          <Input className="font-mono" {...props} {...register('name', { required: 'Enter a name.' })} />
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
      <Field label="Who may read it">
        {(props) => (
          <Select {...props} {...register('visibility')}>
            <option value="">as the folder says</option>
            <option value="public">everybody</option>
            <option value="private">only with a key, a session or a link</option>
          </Select>
        )}
      </Field>
    </div>
  );
}

function editCode(id: string, patch: AssetPatch) {
  return {
    method: 'PATCH' as const,
    path: `/assets/${id}`,
    body: patch,
    client: `await uniferum.assets.change('${id}', ${JSON.stringify(patch, null, 2)});`,
    command: editCommand(id, patch),
  };
}

/** An asset's texts as the form shows them. */
function toForm(asset: Asset): Texts {
  return {
    name: asset.name,
    folder: asset.folder.path,
    title: asset.title ?? '',
    alt: asset.alt ?? '',
    caption: asset.caption ?? '',
    credit: asset.credit ?? '',
    keywords: asset.keywords.join(', '),
    capturedAt: clockOf(asset.capturedLocal),
    capturedOffset: asset.capturedLocal?.slice(19) ?? '',
    visibility: asset.visibility ?? '',
  };
}

/** As browsers write it: without seconds where there are none. Source: WHATWG HTML, "valid normalized local date and time string". */
function clockOf(local: string | null): string {
  return local?.slice(0, 19).replace(/:00$/, '') ?? '';
}

/** Only the changed fields. */
function toPatch(before: Texts, texts: Texts): AssetPatch {
  const patch: AssetPatch = {};
  for (const field of ['name', 'folder', 'title', 'alt', 'caption', 'credit'] as const) {
    if (texts[field] !== before[field]) patch[field] = texts[field];
  }
  if (texts.visibility !== before.visibility)
    patch.visibility = texts.visibility === '' ? null : texts.visibility;
  if (texts.keywords !== before.keywords) patch.keywords = splitKeywords(texts.keywords);
  if (texts.capturedAt !== before.capturedAt || texts.capturedOffset !== before.capturedOffset)
    patch.capturedAt = texts.capturedAt === '' ? null : `${texts.capturedAt}${texts.capturedOffset}`;
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
    ...given('--to', patch.folder),
    ...(patch.visibility === undefined ? [] : ['--visibility', patch.visibility ?? 'inherit']),
  );
}
