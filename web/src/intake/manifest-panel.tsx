import type { ManifestRehearsal } from '@uniferum/client';
import {
  formatCount,
  MANIFEST_FIELDS,
  type ManifestField,
  type ManifestMapping,
} from '@uniferum/core/intake';
import { useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { Button } from '../ui/button.js';
import { classNames } from '../ui/class-names.js';
import { Field, Select } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { formatNumber } from '../ui/format.js';
import { TEXT_WORDS } from '../ui/text-words.js';
import { useManifestChanges } from './hooks.js';

const WORDS: Record<ManifestField, string> = {
  ...TEXT_WORDS,
  source: 'Path or address',
  folder: 'Folder',
  name: 'Name',
};

interface Manifest {
  label: string;
  content: string;
}

/** Imports a list of files with their texts: columns are mapped, rehearsed, and then imported. */
export function ManifestPanel({ folder }: { folder: string }) {
  const [manifest, setManifest] = useState<Manifest | null>(null);
  const [mapping, setMapping] = useState<ManifestMapping | null>(null);
  const { rehearse, take } = useManifestChanges();
  const plan = rehearse.data?.plan;
  const load = (next: Manifest) => {
    setManifest(next);
    setMapping(null);
    take.reset();
    rehearse.mutate({ ...next, folder, mapping: null });
  };
  const remap = (field: ManifestField, column: string) => {
    if (!manifest || !plan) return;
    const { [field]: _, ...rest } = plan.mapping;
    const next = column === '' ? rest : { ...rest, [field]: column };
    setMapping(next);
    rehearse.mutate({ ...manifest, folder, mapping: next });
  };
  return (
    <div className="flex flex-col gap-4">
      <ManifestDrop label={manifest?.label ?? null} onLoad={load} />
      {plan && <Mapping plan={plan} onRemap={remap} />}
      {plan && <PlanSummary plan={plan} />}
      {manifest && (
        <FormFoot error={rehearse.error ?? take.error} code={manifestCode(manifest, folder, mapping)}>
          <Button
            look="main"
            disabled={rehearse.isPending}
            onClick={() => rehearse.mutate({ ...manifest, folder, mapping })}
          >
            Rehearse
          </Button>
          <Button
            disabled={!plan || plan.totals.taken === 0 || take.isPending || take.isSuccess}
            onClick={() => take.mutate({ ...manifest, folder, mapping })}
          >
            Import {formatCount(plan?.totals.taken ?? 0, 'row')}
          </Button>
          {take.isSuccess && (
            <p role="status" className="text-sm text-verdigris">
              Import started. Its progress is shown below.
            </p>
          )}
        </FormFoot>
      )}
    </div>
  );
}

interface ManifestDropProps {
  /** The name of the selected manifest. */
  label: string | null;
  onLoad: (manifest: Manifest) => void;
}

function ManifestDrop({ label, onLoad }: ManifestDropProps) {
  const load = async ([file]: File[]) => {
    if (file) onLoad({ label: file.name, content: await file.text() });
  };
  const { getRootProps, getInputProps, open, isDragActive } = useDropzone({
    onDrop: (files) => void load(files),
    noClick: true,
    multiple: false,
  });
  return (
    <div
      {...getRootProps()}
      className={classNames(
        'flex h-16 items-center gap-4 border border-dashed px-5',
        isDragActive ? 'border-oxide bg-oxide-wash' : 'border-rule-strong bg-surface',
      )}
    >
      <input {...getInputProps()} aria-label="Manifest file" accept=".csv,.tsv,.txt,.json" />
      <p>{label ?? 'Drop a manifest here: CSV or JSON with paths in the inbox, or addresses'}</p>
      <Button look={label ? 'plain' : 'main'} onClick={open}>
        {label ? 'Choose another' : 'Choose a manifest'}
      </Button>
    </div>
  );
}

function manifestCode({ label, content }: Manifest, folder: string, mapping: ManifestMapping | null) {
  return {
    method: 'POST' as const,
    path: '/intake/manifest',
    body: { content: content.slice(0, 400), label, folder, mapping },
    client: [
      "import { readFile } from 'node:fs/promises';\n",
      `const content = await readFile('${label}', 'utf8');`,
      `const { run } = await uniferum.intakes.manifest({ content, folder: '${folder}' });`,
      'await uniferum.runs.wait(run.id);',
    ].join('\n'),
    command: `uniferum up --manifest '${label}' --to '${folder}'`,
  };
}

interface MappingProps {
  plan: ManifestRehearsal;
  onRemap: (field: ManifestField, column: string) => void;
}

function Mapping({ plan, onRemap }: MappingProps) {
  return (
    <div className="grid grid-cols-3 gap-x-6 gap-y-3 lg:grid-cols-5">
      {MANIFEST_FIELDS.map((field) => (
        <Field key={field} label={WORDS[field]}>
          {(props) => (
            <Select
              {...props}
              value={plan.mapping[field] ?? ''}
              onChange={(event) => onRemap(field, event.target.value)}
            >
              <option value="">no column</option>
              {plan.columns.map((column) => (
                <option key={column}>{column}</option>
              ))}
            </Select>
          )}
        </Field>
      ))}
    </div>
  );
}

const SHOWN = 8;

function PlanSummary({ plan }: { plan: ManifestRehearsal }) {
  const { rows, taken, faults } = plan.totals;
  return (
    <div className="grid grid-cols-2 gap-8 text-sm">
      <div>
        <p className="font-semibold">
          {formatNumber(taken)} of {formatCount(rows, 'row')} would be imported
        </p>
        <TakenRows plan={plan} />
      </div>
      <div>
        <p className="font-semibold">{faults === 0 ? 'No errors' : formatCount(faults, 'error')}</p>
        <ul>
          {plan.faults.slice(0, SHOWN).map(({ row, column, message }) => (
            <li key={`${row} ${column} ${message}`} className="flex gap-3 border-b border-rule py-0.5">
              <span className="figure w-10 shrink-0 text-right text-soft">{row ?? 'all'}</span>
              <span className="text-fault">{message}</span>
            </li>
          ))}
        </ul>
      </div>
    </div>
  );
}

function TakenRows({ plan }: { plan: ManifestRehearsal }) {
  return (
    <ul>
      {plan.items.slice(0, SHOWN).map((row) => (
        <li key={row.row} className="flex gap-3 truncate border-b border-rule py-0.5">
          <span className="figure w-10 shrink-0 text-right text-soft">{row.row}</span>
          <span className="truncate font-mono text-xs leading-5">{row.source.value}</span>
          <span className="truncate text-soft">{row.texts.alt ?? row.texts.title ?? row.folder}</span>
        </li>
      ))}
    </ul>
  );
}
