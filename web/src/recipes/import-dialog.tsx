import type { ImportPlan } from '@uniferum/client';
import { formatCount } from '@uniferum/core/intake';
import type { RecipesDocument } from '@uniferum/core/recipes';
import { useState } from 'react';
import { uniferum } from '../client.js';
import { Button } from '../ui/button.js';
import { Dialog } from '../ui/dialog.js';
import { Field, TextArea } from '../ui/field.js';
import { FormFoot } from '../ui/form-foot.js';
import { useRecipeChanges } from './hooks.js';

const ACTION_WORDS = { make: 'would be created', change: 'would change', same: 'stays the same' } as const;

/** Imports recipes from a document: rehearsed first, then applied. */
export function ImportDialog({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState('');
  const [plan, setPlan] = useState<ImportPlan | null>(null);
  const [fault, setFault] = useState<unknown>(null);
  const { importAll } = useRecipeChanges();
  const change = (value: string) => {
    setText(value);
    setPlan(null);
    setFault(null);
  };
  const rehearse = async () => {
    try {
      setPlan((await uniferum.recipes.rehearseImport(parse(text))).plan);
    } catch (error) {
      setFault(error);
    }
  };
  const apply = async () => {
    await importAll.mutateAsync(parse(text));
    onClose();
  };
  const changes = plan ? plan.totals.make + plan.totals.change : 0;
  return (
    <Dialog
      isOpen
      onOpenChange={onClose}
      title="Import recipes"
      unsaved={text.trim() === '' ? null : 'The document has not been imported.'}
      description="All recipes are imported, or none. Recipes that are not in the document stay unchanged."
    >
      <div className="flex flex-col gap-4">
        <DocumentFields text={text} isShort={plan !== null} onChange={change} />
        {plan && <PlanList items={plan.items} />}
        <FormFoot error={fault ?? importAll.error} code={importCode(text)}>
          {plan === null ? (
            <Button look="main" disabled={text.trim() === ''} onClick={() => void rehearse()}>
              Rehearse
            </Button>
          ) : (
            <Button
              look="main"
              disabled={changes === 0 || importAll.isPending}
              onClick={() => void apply().catch(() => {})}
            >
              {changes === 0 ? 'Nothing to do' : `Import ${formatCount(changes, 'recipe')}`}
            </Button>
          )}
        </FormFoot>
      </div>
    </Dialog>
  );
}

interface DocumentFieldsProps {
  text: string;
  /** Leaves space for the plan below. */
  isShort: boolean;
  onChange: (text: string) => void;
}

function DocumentFields({ text, isShort, onChange }: DocumentFieldsProps) {
  return (
    <>
      <div className="flex items-center gap-3 text-sm">
        <label className="text-oxide underline">
          Choose a file
          <input
            type="file"
            accept="application/json,.json"
            className="sr-only"
            onChange={(event) => void event.target.files?.[0]?.text().then(onChange)}
          />
        </label>
        <span className="text-soft">
          or paste its text. Format:{' '}
          <a href="/api/v1/recipes/schema.json" target="_blank" rel="noreferrer" className="underline">
            the JSON Schema
          </a>
        </span>
      </div>
      <Field label="Document">
        {(props) => (
          <TextArea
            {...props}
            rows={isShort ? 6 : 12}
            spellCheck={false}
            className="font-mono text-xs"
            value={text}
            placeholder={'{ "format": "uniferum-recipes", "version": 1, "recipes": [ … ] }'}
            onChange={(event) => onChange(event.target.value)}
          />
        )}
      </Field>
    </>
  );
}

function PlanList({ items }: Pick<ImportPlan, 'items'>) {
  return (
    <ul className="max-h-56 overflow-y-auto border-t border-rule">
      {items.map(({ name, action, changes: words }) => (
        <li
          key={name}
          className="grid grid-cols-[9rem_8rem_minmax(0,1fr)] gap-3 border-b border-rule py-1 text-sm"
        >
          <span className="font-mono text-xs leading-5">~{name}</span>
          <span className={action === 'same' ? 'text-soft' : 'font-medium'}>{ACTION_WORDS[action]}</span>
          <span className="truncate text-soft" title={words.join(', ')}>
            {words.join(', ')}
          </span>
        </li>
      ))}
    </ul>
  );
}

function importCode(text: string) {
  return {
    method: 'POST' as const,
    path: '/recipes/import',
    body: text === '' ? { format: 'uniferum-recipes', version: 1, recipes: [] } : safely(text),
    client: [
      "import { readFile } from 'node:fs/promises';\n",
      "const document = JSON.parse(await readFile('recipes.json', 'utf8'));",
      'const { plan } = await uniferum.recipes.rehearseImport(document);',
      'await uniferum.recipes.import(document);',
    ].join('\n'),
    command: 'uniferum recipes --import recipes.json',
  };
}

function parse(text: string): RecipesDocument {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new Error(`Invalid JSON: ${error instanceof Error ? error.message : String(error)}.`);
  }
}

function safely(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
