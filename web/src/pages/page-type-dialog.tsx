import { KINDS } from '@uniferum/core/library';
import type { PageTypeAnswer } from '@uniferum/core/pages';
import { Plus, X } from 'lucide-react';
import { type UseFormReturn, useFieldArray, useForm } from 'react-hook-form';
import { Button, IconButton } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Checkbox, Field, Input } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { usePageTypeChanges } from './page-hooks.js';
import {
  EMPTY_SLOT,
  EMPTY_TYPE,
  fromPageType,
  limitsFault,
  type PageTypeForm,
  TYPE_NAME,
  toPageType,
} from './page-type-form.js';

interface PageTypeDialogProps {
  /** Null for a new one. */
  type: PageTypeAnswer | null;
  onClose: () => void;
}

/** Edits the slots and regions that pages of a type have. */
export function PageTypeDialog({ type, onClose }: PageTypeDialogProps) {
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title={type ? `Page type ${type.title}` : 'New page type'}
      description="Slots and regions hold the files of a page, under names by which a site asks for them."
      className="w-[48rem]"
    >
      <TypeForm type={type} onDone={onClose} />
    </Dialog>
  );
}

const NAMED = 'Use lower-case letters, digits and hyphens, beginning with a letter.';

function TypeForm({ type, onDone }: { type: PageTypeAnswer | null; onDone: () => void }) {
  const { put } = usePageTypeChanges();
  const form = useForm<PageTypeForm>({ defaultValues: type ? fromPageType(type) : EMPTY_TYPE });
  const { register, handleSubmit, formState, watch, control } = form;
  const { errors } = formState;
  const slots = useFieldArray({ control, name: 'slots' });
  const wanted = toPageType(watch());
  useUnsavedChanges(formState.isDirty ? 'The page type has not been saved.' : null);
  const submit = handleSubmit(async (sent) => {
    await put.mutateAsync(toPageType(sent));
    onDone();
  });
  const named = { required: NAMED, pattern: { value: TYPE_NAME, message: NAMED } };
  return (
    <form onSubmit={(event) => void submit(event).catch(() => {})} className="flex flex-col gap-4">
      <div className="grid gap-4 sm:grid-cols-2">
        <Field label="Title" error={errors.title?.message}>
          {(props) => (
            <Input {...props} maxLength={120} {...register('title', { required: 'Enter a title.' })} />
          )}
        </Field>
        <Field label="Name" hint="Used in API calls." error={errors.name?.message}>
          {(props) => (
            <Input {...props} className="font-mono" readOnly={type !== null} {...register('name', named)} />
          )}
        </Field>
      </div>
      <Field label="Regions" hint="Names, separated by commas, such as main, side.">
        {(props) => <Input {...props} className="font-mono" {...register('regions')} />}
      </Field>
      {slots.fields.map((field, index) => (
        <SlotFields key={field.id} form={form} index={index} onRemove={() => slots.remove(index)} />
      ))}
      <Button type="button" className="self-start" onClick={() => slots.append(EMPTY_SLOT)}>
        <Plus className="size-4" aria-hidden="true" /> Add a slot
      </Button>
      <FormFoot
        error={put.error}
        code={{
          method: 'POST',
          path: '/page-types',
          body: wanted,
          client: `await uniferum.pageTypes.put(${JSON.stringify(wanted, null, 2)});`,
        }}
      >
        <Button look="main" type="submit" disabled={put.isPending}>
          Save page type
        </Button>
      </FormFoot>
    </form>
  );
}

interface SlotFieldsProps {
  form: UseFormReturn<PageTypeForm>;
  index: number;
  onRemove: () => void;
}

function SlotFields({ form: { register, watch, formState }, index, onRemove }: SlotFieldsProps) {
  const errors = formState.errors.slots?.[index];
  const name = watch(`slots.${index}.name`) || `slot ${index + 1}`;
  const named = { required: NAMED, pattern: { value: TYPE_NAME, message: NAMED } };
  return (
    <fieldset className="flex flex-col gap-3 border border-rule p-3">
      <legend className="px-1 text-sm font-medium">Slot {name}</legend>
      <div className="grid items-start gap-3 sm:grid-cols-[10rem_1fr_auto]">
        <Field label="Name" error={errors?.name?.message}>
          {(props) => <Input {...props} className="font-mono" {...register(`slots.${index}.name`, named)} />}
        </Field>
        <Field label="Help text" hint="Shown to editors.">
          {(props) => <Input {...props} maxLength={500} {...register(`slots.${index}.help`)} />}
        </Field>
        <IconButton name={`Remove slot ${name}`} className="mt-6" onClick={onRemove}>
          <X className="size-4" />
        </IconButton>
      </div>
      <div role="group" aria-label={`Kinds in ${name}`} className="flex flex-wrap gap-x-4 gap-y-1">
        {KINDS.map((kind) => (
          <Checkbox key={kind} label={kind} value={kind} {...register(`slots.${index}.kinds`)} />
        ))}
        <span className="text-xs leading-5 text-soft">None selected: all kinds.</span>
      </div>
      <div className="grid items-start gap-3 sm:grid-cols-[1fr_7rem_7rem]">
        <Field label="Folders" hint="Paths, separated by commas. Empty for all.">
          {(props) => <Input {...props} className="font-mono" {...register(`slots.${index}.folders`)} />}
        </Field>
        <Field label="Minimum">
          {(props) => (
            <Input {...props} type="number" min={0} max={1000} {...register(`slots.${index}.least`)} />
          )}
        </Field>
        <Field label="Maximum" error={errors?.most?.message}>
          {(props) => (
            <Input
              {...props}
              type="number"
              min={1}
              max={1000}
              placeholder="none"
              {...register(`slots.${index}.most`, {
                validate: (most, { slots }) =>
                  limitsFault({ most, least: slots[index]?.least ?? '0' }) ?? true,
              })}
            />
          )}
        </Field>
      </div>
    </fieldset>
  );
}
