import { formatBytes, RENDITION_STATES, type RecipeAnswer } from '@uniferum/core';
import { PencilLine, Plus, Trash2 } from 'lucide-react';
import { useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { Button, IconButton } from '../ui/button.js';
import { EmptyPlace, ErrorNotice } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { describeOutput, describeSteps } from './describe.js';
import { useRecipes } from './hooks.js';
import { RebuildDialog } from './rebuild-dialog.js';
import { RecipeDialog } from './recipe-dialog.js';
import { RemoveRecipeDialog } from './remove-recipe-dialog.js';

type Open = { dialog: 'make' | 'rebuild' } | { dialog: 'change' | 'remove'; recipe: RecipeAnswer } | null;

/** The recipes, what each makes, and how far it is. */
export function RecipesPage() {
  const { data: recipes, error } = useRecipes();
  const [open, setOpen] = useState<Open>(null);
  const mayWrite = useRight('recipes:write');
  const close = () => setOpen(null);
  const actions = mayWrite && (
    <>
      <Button onClick={() => setOpen({ dialog: 'rebuild' })} disabled={!recipes?.length}>
        Rehearse a rebuild
      </Button>
      <Button look="main" onClick={() => setOpen({ dialog: 'make' })}>
        <Plus className="size-4" aria-hidden="true" /> New recipe
      </Button>
    </>
  );
  return (
    <Page
      title="Recipes"
      note="Every picture that arrives gets a rendition by each recipe that applies."
      actions={actions}
    >
      <div className="min-h-0 flex-1 overflow-y-auto border-t border-rule">
        {error && <ErrorNotice error={error} />}
        {recipes?.length === 0 && (
          <div className="p-6">
            <EmptyPlace
              title="No recipe yet"
              action={
                mayWrite && <Button onClick={() => setOpen({ dialog: 'make' })}>Make the first recipe</Button>
              }
            >
              A recipe says which size, crop and format the site needs. Its renditions are made in the
              background.
            </EmptyPlace>
          </div>
        )}
        <ul>
          {recipes?.map((recipe) => (
            <RecipeRow
              key={recipe.name}
              recipe={recipe}
              onOpen={mayWrite ? (dialog) => setOpen({ dialog, recipe }) : null}
            />
          ))}
        </ul>
      </div>
      {open?.dialog === 'make' && <RecipeDialog recipe={null} onClose={close} />}
      {open?.dialog === 'change' && <RecipeDialog recipe={open.recipe} onClose={close} />}
      {open?.dialog === 'remove' && <RemoveRecipeDialog recipe={open.recipe} onClose={close} />}
      {open?.dialog === 'rebuild' && <RebuildDialog recipes={recipes ?? []} onClose={close} />}
    </Page>
  );
}

function RecipeRow({
  recipe,
  onOpen,
}: {
  recipe: RecipeAnswer;
  onOpen: ((dialog: 'change' | 'remove') => void) | null;
}) {
  const states = RENDITION_STATES.filter((state) => recipe.renditions[state] > 0);
  return (
    <li className="grid grid-cols-[5.5rem_minmax(0,1.3fr)_minmax(0,1fr)_6rem_5rem] items-center gap-6 border-b border-rule px-6 py-4">
      <FrameDrawing recipe={recipe} />
      <div>
        <h2 className="flex items-baseline gap-3 font-semibold">
          {recipe.title} <span className="font-mono text-xs font-normal text-soft">~{recipe.name}</span>
        </h2>
        <p className="text-sm text-soft">
          {describeSteps(recipe.steps)}; {describeOutput(recipe.output)}
        </p>
        <p className="text-sm text-soft">
          {recipe.kinds.join(', ')} in{' '}
          {recipe.folders.length === 0 ? 'every folder' : recipe.folders.join(', ')}
          {recipe.when === 'at-once' && '; made at once'}
        </p>
      </div>
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {states.length === 0 ? (
          <span className="text-sm text-soft">No picture yet</span>
        ) : (
          states.map((state) => <StateMark key={state} state={state} count={recipe.renditions[state]} />)
        )}
      </div>
      <span className="figure text-right text-soft">{formatBytes(recipe.bytes)}</span>
      <span className="flex justify-end">
        {onOpen && (
          <>
            <IconButton name={`Change ${recipe.title}`} onClick={() => onOpen('change')}>
              <PencilLine className="size-4" />
            </IconButton>
            <IconButton name={`Take ${recipe.title} away`} onClick={() => onOpen('remove')}>
              <Trash2 className="size-4" />
            </IconButton>
          </>
        )}
      </span>
    </li>
  );
}

/** The last step's box to scale, with a 3:2 picture in it: what hangs over is cut off, what is left is air. */
function FrameDrawing({ recipe }: { recipe: RecipeAnswer }) {
  const step = recipe.steps.at(-1);
  const width = step?.width ?? step?.height ?? 1;
  const height = step?.height ?? step?.width ?? 1;
  const scale = 44 / Math.max(width, height);
  const box = { w: width * scale, h: height * scale };
  const isCover = step?.mode === 'cover';
  const fit = isCover ? Math.max(box.w / 66, box.h / 44) : Math.min(box.w / 66, box.h / 44);
  const picture = { w: 66 * fit, h: 44 * fit };
  return (
    <svg viewBox="0 0 88 56" className="w-22" aria-hidden="true">
      <rect
        x={44 - picture.w / 2}
        y={28 - picture.h / 2}
        width={picture.w}
        height={picture.h}
        className="fill-rule"
      />
      <rect
        x={44 - box.w / 2}
        y={28 - box.h / 2}
        width={box.w}
        height={box.h}
        className="fill-none stroke-oxide"
        strokeWidth="1.5"
        strokeDasharray={isCover ? '' : '3 2'}
      />
    </svg>
  );
}
