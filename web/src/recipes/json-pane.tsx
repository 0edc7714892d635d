import type { PortableRecipe } from '@uniferum/core/recipes';
import { useState } from 'react';
import { TextArea } from '../ui/field.js';
import { NEW_RECIPE } from './draft.js';

interface JsonPaneProps {
  recipe: PortableRecipe;
  isNew: boolean;
  onTake: (recipe: PortableRecipe) => void;
}

/** Shows and edits the whole recipe as JSON. */
export function JsonPane({ recipe, isNew, onTake }: JsonPaneProps) {
  const [text, setText] = useState(() => JSON.stringify(recipe, null, 2));
  const [fault, setFault] = useState<string | null>(null);
  const change = (value: string) => {
    setText(value);
    try {
      const read = readRecipe(value);
      setFault(null);
      onTake({ ...NEW_RECIPE, ...read, name: isNew ? read.name : recipe.name });
    } catch (error) {
      setFault(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col px-6 py-3">
      <TextArea
        aria-label="The recipe as JSON"
        aria-invalid={fault !== null}
        spellCheck={false}
        className="min-h-0 flex-1 resize-none font-mono text-xs leading-5"
        value={text}
        onChange={(event) => change(event.target.value)}
      />
      <p className={fault ? 'pt-2 text-sm text-fault' : 'pt-2 text-sm text-soft'}>
        {fault
          ? `This can't be read: ${fault}.`
          : 'Every change is taken over at once; the chain shows it, and what is wrong with it.'}
      </p>
    </div>
  );
}

function readRecipe(text: string): PortableRecipe {
  const read = JSON.parse(text) as PortableRecipe;
  if (!Array.isArray(read.steps) || typeof read.output !== 'object')
    throw new Error('it has no steps or no output');
  return read;
}
