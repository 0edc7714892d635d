import {
  EMBEDDED_FIELDS,
  type EmbeddedField,
  MAPPED_TEXTS,
  type MappedText,
  type MetadataMapping,
  mayFill,
} from '@uniferum/core/library';
import { ArrowLeft, X } from 'lucide-react';
import { useState } from 'react';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { ErrorNotice } from '../ui/notice.js';
import { TEXT_WORDS } from '../ui/text-words.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { useMetadataMapping } from './hooks.js';

interface MappingDialogProps {
  isOpen: boolean;
  onOpenChange: (isOpen: boolean) => void;
}

/** Edits the metadata mapping: which fields of a new file fill which texts. */
export function MappingDialog({ isOpen, onOpenChange }: MappingDialogProps) {
  const { data, error, put } = useMetadataMapping();
  return (
    <Dialog
      isOpen={isOpen}
      onOpenChange={onOpenChange}
      title="Metadata mapping"
      description="The Exif, IPTC and XMP fields that fill each text. The first non-empty one is used. Changes apply to new files."
      className="w-[52rem]"
    >
      {error && <ErrorNotice error={error} />}
      {data && (
        <MappingForm
          mapping={data}
          error={put.error}
          isPending={put.isPending}
          onSave={(mapping) => put.mutate(mapping, { onSuccess: () => onOpenChange(false) })}
        />
      )}
    </Dialog>
  );
}

interface MappingFormProps {
  mapping: MetadataMapping;
  error: unknown;
  isPending: boolean;
  onSave: (mapping: MetadataMapping) => void;
}

function MappingForm({ mapping: saved, error, isPending, onSave }: MappingFormProps) {
  const [mapping, setMapping] = useState(saved);
  useUnsavedChanges(mapping === saved ? null : 'The mapping has not been saved.');
  return (
    <div className="flex flex-col gap-4">
      <dl className="border-t border-rule">
        {MAPPED_TEXTS.map((text) => (
          <MappedRow
            key={text}
            text={text}
            fields={mapping[text]}
            onChange={(fields) => setMapping({ ...mapping, [text]: fields })}
          />
        ))}
      </dl>
      <FormFoot
        error={error}
        code={{
          method: 'PUT',
          path: '/settings/metadata',
          body: mapping,
          client: `await uniferum.settings.putMetadata(${JSON.stringify(mapping, null, 2)});`,
        }}
      >
        <Button look="main" disabled={isPending} onClick={() => onSave(mapping)}>
          Save mapping
        </Button>
      </FormFoot>
    </div>
  );
}

interface MappedRowProps {
  text: MappedText;
  /** The fields that fill the text, in order of precedence. */
  fields: readonly EmbeddedField[];
  onChange: (fields: EmbeddedField[]) => void;
}

function MappedRow({ text, fields, onChange }: MappedRowProps) {
  const free = EMBEDDED_FIELDS.filter((field) => mayFill(text, field) && !fields.includes(field));
  return (
    <div className="grid grid-cols-1 items-center gap-x-4 gap-y-2 border-b border-rule py-2 sm:grid-cols-[8rem_minmax(0,1fr)_11rem]">
      <dt className="text-sm font-medium">{TEXT_WORDS[text]}</dt>
      <dd className="flex flex-wrap items-center gap-1.5">
        {fields.length === 0 && <span className="text-sm text-soft">no source</span>}
        {fields.map((field, index) => (
          <FieldChip
            key={field}
            field={field}
            isFirst={index === 0}
            onEarlier={() => onChange(swap(fields, index))}
            onRemove={() => onChange(fields.filter((one) => one !== field))}
          />
        ))}
      </dd>
      <dd>
        <Select
          aria-label={`Add a source for ${TEXT_WORDS[text]}`}
          value=""
          onChange={(event) => onChange([...fields, event.target.value as EmbeddedField])}
        >
          <option value="">add a source</option>
          {free.map((field) => (
            <option key={field}>{field}</option>
          ))}
        </Select>
      </dd>
    </div>
  );
}

interface FieldChipProps {
  field: EmbeddedField;
  isFirst: boolean;
  onEarlier: () => void;
  onRemove: () => void;
}

function FieldChip({ field, isFirst, onEarlier, onRemove }: FieldChipProps) {
  return (
    <span className="inline-flex h-7 items-center border border-rule-strong bg-surface pl-2 font-mono text-xs">
      {field}
      {!isFirst && (
        <button
          type="button"
          aria-label={`Move ${field} forward`}
          title="Earlier"
          className="inline-flex size-6 items-center justify-center text-soft hover:text-ink"
          onClick={onEarlier}
        >
          <ArrowLeft className="size-3" />
        </button>
      )}
      <button
        type="button"
        aria-label={`Remove ${field}`}
        title="Remove"
        className="inline-flex size-6 items-center justify-center text-soft hover:text-fault"
        onClick={onRemove}
      >
        <X className="size-3" />
      </button>
    </span>
  );
}

/** Swaps a field with the previous one. */
function swap(fields: readonly EmbeddedField[], index: number): EmbeddedField[] {
  const next = [...fields];
  const [before, one] = [next[index - 1], next[index]];
  if (before !== undefined && one !== undefined) next.splice(index - 1, 2, one, before);
  return next;
}
