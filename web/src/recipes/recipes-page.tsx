import { formatBytes } from '@uniferum/core/intake';
import { RENDITION_STATES, type RecipeAnswer, splitSource } from '@uniferum/core/recipes';
import { Download, Plus, Trash2, Upload } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { useRight } from '../access/hooks.js';
import { uniferum } from '../client.js';
import { Page } from '../console/page.js';
import { Button, IconButton } from '../ui/button.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { useAction } from '../ui/use-action.js';
import { describeLadder, describeOutput, describeSteps, WHEN_WORDS } from './describe.js';
import { useRecipes } from './hooks.js';
import { ImportDialog } from './import-dialog.js';
import { RebuildDialog } from './rebuild-dialog.js';
import { RecipesViews } from './recipes-views.js';
import { RemoveRecipeDialog } from './remove-recipe-dialog.js';

type Open = { dialog: 'rebuild' | 'import' } | { dialog: 'remove'; recipe: RecipeAnswer } | null;

/** The recipes, their output, and their progress. */
export function RecipesPage() {
  const { data: recipes, error } = useRecipes();
  const [open, setOpen] = useState<Open>(null);
  const mayWrite = useRight('recipes:write');
  const close = () => setOpen(null);
  return (
    <Page
      title="Recipes"
      note="Each new file gets a rendition from every recipe that applies."
      actions={<PageActions hasRecipes={Boolean(recipes?.length)} onOpen={setOpen} />}
    >
      <RecipesViews />
      <div className="min-h-0 flex-1 overflow-y-auto">
        {error && <ErrorNotice error={error} />}
        {recipes?.length === 0 && <NoRecipe mayWrite={mayWrite} />}
        <ul>
          {recipes?.map((recipe) => (
            <RecipeRow
              key={recipe.name}
              recipe={recipe}
              onRemove={mayWrite ? () => setOpen({ dialog: 'remove', recipe }) : null}
            />
          ))}
        </ul>
      </div>
      {open?.dialog === 'remove' && <RemoveRecipeDialog recipe={open.recipe} onClose={close} />}
      {open?.dialog === 'rebuild' && <RebuildDialog recipes={recipes ?? []} onClose={close} />}
      {open?.dialog === 'import' && <ImportDialog onClose={close} />}
    </Page>
  );
}

interface PageActionsProps {
  hasRecipes: boolean;
  onOpen: (open: Open) => void;
}

function PageActions({ hasRecipes, onOpen }: PageActionsProps) {
  const mayWrite = useRight('recipes:write');
  return (
    <>
      <ExportButton isDisabled={!hasRecipes} />
      {mayWrite && (
        <>
          <Button look="quiet" onClick={() => onOpen({ dialog: 'import' })}>
            <Upload className="size-4" aria-hidden="true" /> Import
          </Button>
          <Button onClick={() => onOpen({ dialog: 'rebuild' })} disabled={!hasRecipes}>
            Rehearse a rebuild
          </Button>
          <Link
            to="/recipes/new"
            className="inline-flex h-8 items-center gap-2 rounded-[3px] border border-oxide bg-oxide px-3 text-sm font-medium text-oxide-ink hover:brightness-110"
          >
            <Plus className="size-4" aria-hidden="true" /> New recipe
          </Link>
        </>
      )}
    </>
  );
}

function NoRecipe({ mayWrite }: { mayWrite: boolean }) {
  const action = mayWrite && <TextLink to="/recipes/new">Create the first recipe</TextLink>;
  return (
    <div className="p-6">
      <EmptyPlace title="No recipe yet" action={action}>
        A recipe says which size, crop and format the site needs. Its renditions are made in the background.
      </EmptyPlace>
    </div>
  );
}

function ExportButton({ isDisabled }: { isDisabled: boolean }) {
  const save = useAction(async () => {
    const recipes = await uniferum.recipes.export();
    const link = document.createElement('a');
    link.href = URL.createObjectURL(
      new Blob([JSON.stringify(recipes, null, 2)], { type: 'application/json' }),
    );
    link.download = 'recipes.json';
    link.click();
    URL.revokeObjectURL(link.href);
  });
  return (
    <>
      <FailureLine error={save.error} />
      <Button look="quiet" disabled={isDisabled || save.isPending} onClick={() => save.mutate()}>
        <Download className="size-4" aria-hidden="true" /> Export
      </Button>
    </>
  );
}

function RecipeRow({ recipe, onRemove }: { recipe: RecipeAnswer; onRemove: (() => void) | null }) {
  const states = RENDITION_STATES.filter((state) => recipe.renditions[state] > 0);
  return (
    <li className="grid grid-cols-[5.5rem_minmax(0,1.5fr)_minmax(0,1fr)_5.5rem_2rem] items-center gap-6 border-b border-rule px-6 py-2">
      <Sample recipe={recipe} />
      <RecipeWords recipe={recipe} />
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {states.length === 0 ? (
          <span className="text-sm text-soft">No file yet</span>
        ) : (
          states.map((state) => <StateMark key={state} state={state} count={recipe.renditions[state]} />)
        )}
      </div>
      <span className="figure text-right text-soft">{formatBytes(recipe.bytes)}</span>
      {onRemove ? (
        <IconButton name={`Delete ${recipe.title}`} onClick={onRemove}>
          <Trash2 className="size-4" />
        </IconButton>
      ) : (
        <span />
      )}
    </li>
  );
}

function RecipeWords({ recipe }: { recipe: RecipeAnswer }) {
  return (
    <div className="min-w-0">
      <h2 className="flex items-baseline gap-3 font-semibold">
        <Link to={`/recipes/${recipe.name}`} className="hover:text-oxide hover:underline">
          {recipe.title}
        </Link>
        <span className="font-mono text-xs font-normal text-soft">~{recipe.name}</span>
      </h2>
      <p className="truncate text-sm text-soft">
        {describeSteps(recipe.steps)}; {describeOutput(recipe.output)}
      </p>
      <p className="truncate text-sm text-soft">
        {recipe.kinds.join(', ')} in{' '}
        {recipe.folders.length === 0 ? 'every folder' : recipe.folders.join(', ')}
        {recipe.ladder && `; ${describeLadder(recipe.ladder)}`}
        {recipe.when !== 'background' && `; made ${WHEN_WORDS[recipe.when]}`}
      </p>
    </div>
  );
}

/** An example of its output: a real rendition if there is one, otherwise a drawing of its frame. */
function Sample({ recipe }: { recipe: RecipeAnswer }) {
  if (recipe.sample === null) return <FrameDrawing recipe={recipe} />;
  return (
    <span className="flex h-14 w-22 items-center justify-center">
      <img
        src={recipe.sample}
        alt={`A rendition by ${recipe.title}`}
        loading="lazy"
        decoding="async"
        className="max-h-14 max-w-22"
      />
    </span>
  );
}

/** The last box of the chain to scale, with a 3:2 picture in it: parts outside are cut off, empty parts are padding. */
function FrameDrawing({ recipe }: { recipe: RecipeAnswer }) {
  const fits = splitSource(recipe.steps).chain.filter((step) => step.op === 'fit');
  const step = fits.at(-1);
  const width = step?.width ?? step?.height ?? 3;
  const height = step?.height ?? step?.width ?? 2;
  const scale = 44 / Math.max(width, height);
  const box = { w: width * scale, h: height * scale };
  const isCover = step?.mode === 'cover';
  const fit = isCover ? Math.max(box.w / 66, box.h / 44) : Math.min(box.w / 66, box.h / 44);
  const picture = { w: 66 * fit, h: 44 * fit };
  const rungs = recipe.ladder ? [0.75, 0.5] : [];
  return (
    <svg viewBox="0 0 88 56" className="w-22" aria-hidden="true">
      <rect
        x={44 - picture.w / 2}
        y={28 - picture.h / 2}
        width={picture.w}
        height={picture.h}
        className="fill-rule"
      />
      {[1, ...rungs].map((rung) => (
        <rect
          key={rung}
          x={44 - box.w / 2}
          y={28 + box.h / 2 - box.h * rung}
          width={box.w * rung}
          height={box.h * rung}
          className="fill-none stroke-oxide"
          strokeWidth={rung === 1 ? 1.5 : 1}
          strokeDasharray={isCover ? '' : '3 2'}
        />
      ))}
    </svg>
  );
}
