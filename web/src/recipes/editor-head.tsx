import type { PortableRecipe, RecipeAnswer } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import type { Dispatch } from 'react';
import { Link } from 'react-router';
import { usePageTitle } from '../console/use-page-title.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Input } from '../ui/field.js';
import { type Draft, type DraftAction, toRecipe } from './draft.js';
import { Revisions } from './revisions.js';

interface EditorHeadProps {
  /** The stored recipe; null for a new one. */
  recipe: RecipeAnswer | null;
  draft: Draft;
  /** The error in title or name, once it should be shown. */
  fault: FieldError | undefined;
  isJson: boolean;
  onJson: (isJson: boolean) => void;
  dispatch: Dispatch<DraftAction>;
}

/** Title and name of the recipe, its revisions, and the switch between chain and JSON. */
export function EditorHead({ recipe, draft, fault, isJson, onJson, dispatch }: EditorHeadProps) {
  const title = recipe ? `Recipe: ${recipe.title}` : 'New recipe';
  usePageTitle(title);
  return (
    <div className="flex min-h-14 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 px-6 pt-2">
      <h1 className="sr-only">{title}</h1>
      <Link to="/recipes" className="text-sm text-soft hover:text-ink hover:underline">
        Recipes
      </Link>
      <span aria-hidden="true" className="text-soft">
        /
      </span>
      <NameInputs draft={draft} isKept={recipe !== null} dispatch={dispatch} />
      {fault && <span className="text-sm text-fault">{fault.message}</span>}
      <span className="ml-auto flex items-center gap-2">
        {recipe && (
          <Revisions name={recipe.name} onTake={(taken) => dispatch({ do: 'load', recipe: taken })} />
        )}
        <Button look="quiet" aria-pressed={isJson} onClick={() => onJson(!isJson)}>
          {isJson ? 'As a chain' : 'As JSON'}
        </Button>
        <SaveCode recipe={toRecipe(draft)} isNew={recipe === null} />
      </span>
    </div>
  );
}

interface NameInputsProps {
  draft: Draft;
  /** A name used in URLs cannot be changed. */
  isKept: boolean;
  dispatch: Dispatch<DraftAction>;
}

function NameInputs({ draft, isKept, dispatch }: NameInputsProps) {
  return (
    <>
      <Input
        aria-label="Title"
        placeholder="What it is for"
        className="h-9 w-[26rem] max-w-full text-lg font-semibold"
        value={draft.title}
        onChange={(event) => dispatch({ do: 'set', values: { title: event.target.value } })}
      />
      <span className="font-mono text-soft">~</span>
      <Input
        aria-label="Name in addresses"
        placeholder="name"
        className="-ml-2 h-9 w-40 font-mono"
        readOnly={isKept}
        value={draft.name}
        onChange={(event) => dispatch({ do: 'set', values: { name: event.target.value } })}
      />
    </>
  );
}

function SaveCode({ recipe, isNew }: { recipe: PortableRecipe; isNew: boolean }) {
  const { name, ...body } = recipe;
  return (
    <AsCode
      code={
        isNew
          ? {
              method: 'POST',
              path: '/recipes',
              body: recipe,
              client: `await uniferum.recipes.make(${JSON.stringify(recipe, null, 2)});`,
            }
          : {
              method: 'PUT',
              path: `/recipes/${name}`,
              body,
              client: `await uniferum.recipes.put('${name}', ${JSON.stringify(body, null, 2)});`,
            }
      }
    />
  );
}
