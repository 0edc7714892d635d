import type { PortableRecipe, RecipeAnswer } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { type ReactNode, useReducer, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Input, TextArea } from '../ui/field.js';
import { formatMoment } from '../ui/format.js';
import { ErrorNotice } from '../ui/notice.js';
import { Popup } from '../ui/popup.js';
import { AppliesSettings, OutputSettings } from './card-settings.js';
import { ChainBand } from './chain-band.js';
import { draftFaults, editDraft, faultsOfStep, NEW_RECIPE, portableOf, toDraft, toRecipe } from './draft.js';
import { useRecipe, useRecipeChanges, useRevisions } from './hooks.js';
import { ImpactLine } from './impact-line.js';
import { PreviewPane } from './preview-pane.js';
import { StepSettings } from './step-settings.js';

/** One recipe, as a chain that is tried on one's own pictures while it is edited. */
export function EditorPage() {
  const { name = null } = useParams();
  const { data, error } = useRecipe(name);
  if (error)
    return (
      <div className="p-6">
        <ErrorNotice error={error} />
      </div>
    );
  if (name !== null && !data) return null;
  return <Editor key={`${name} ${data?.revision}`} recipe={data ?? null} />;
}

// biome-ignore lint/complexity/noExcessiveLinesPerFunction: one page, whose parts share the draft
function Editor({ recipe }: { recipe: RecipeAnswer | null }) {
  const [draft, dispatch] = useReducer(editDraft, recipe ? portableOf(recipe) : NEW_RECIPE, toDraft);
  const [isJson, setJson] = useState(false);
  const [isTouched, setTouched] = useState(recipe !== null);
  const changes = useRecipeChanges();
  const navigate = useNavigate();
  const mayWrite = useRight('recipes:write');
  const [tried, setTried] = useState<FieldError[]>([]);
  const faults = draftFaults(draft);
  const shown = [...faults, ...tried];
  const wanted = toRecipe(draft);
  const areStepsSound = !faults.some(({ field }) => field !== 'title' && field !== 'name');
  const save = recipe ? changes.put : changes.make;
  const saveAnd = async (next: 'list' | 'rebuild') => {
    setTouched(true);
    if (faults.length > 0) return;
    await save.mutateAsync(wanted);
    if (next === 'list') return void navigate('/recipes');
    const { run } = await changes.rebuild.mutateAsync({ recipes: [wanted.name], only: 'unfinished' });
    void navigate(`/runs?run=${run.id}`);
  };
  const openStep = draft.steps.findIndex(({ id }) => id === draft.open);
  const step = draft.steps[openStep];
  const nameFault = isTouched ? faults.find(({ field }) => field === 'title' || field === 'name') : undefined;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex min-h-14 items-center gap-3 px-6 pt-2">
        <h1 className="sr-only">{recipe ? `Recipe: ${recipe.title}` : 'New recipe'}</h1>
        <Link to="/recipes" className="text-sm text-soft hover:text-ink hover:underline">
          Recipes
        </Link>
        <span aria-hidden="true" className="text-soft">
          /
        </span>
        <Input
          aria-label="Title"
          placeholder="What it is for"
          className="h-9 w-[26rem] text-lg font-semibold"
          value={draft.title}
          onChange={(event) => dispatch({ do: 'set', values: { title: event.target.value } })}
        />
        <span className="font-mono text-soft">~</span>
        <Input
          aria-label="Name in addresses"
          placeholder="name"
          className="-ml-2 h-9 w-40 font-mono"
          readOnly={recipe !== null}
          value={draft.name}
          onChange={(event) => dispatch({ do: 'set', values: { name: event.target.value } })}
        />
        {nameFault && <span className="text-sm text-fault">{nameFault.message}</span>}
        <span className="ml-auto flex items-center gap-2">
          {recipe && (
            <Revisions name={recipe.name} onTake={(taken) => dispatch({ do: 'load', recipe: taken })} />
          )}
          <Button look="quiet" aria-pressed={isJson} onClick={() => setJson(!isJson)}>
            {isJson ? 'As a chain' : 'As JSON'}
          </Button>
          <SaveCode recipe={wanted} isNew={recipe === null} />
        </span>
      </div>
      {isJson ? (
        <JsonPane
          recipe={wanted}
          isNew={recipe === null}
          onTake={(taken) => dispatch({ do: 'load', recipe: taken })}
        />
      ) : (
        <>
          <ChainBand draft={draft} faults={shown} dispatch={dispatch} />
          <div
            className="min-h-[5.25rem] border-y border-rule bg-surface px-6 py-2.5"
            role="group"
            aria-label="Settings"
          >
            {draft.open === 'applies' && <AppliesSettings draft={draft} dispatch={dispatch} />}
            {draft.open === 'output' && <OutputSettings draft={draft} faults={faults} dispatch={dispatch} />}
            {step && (
              <StepSettings
                step={step}
                index={openStep}
                count={draft.steps.length}
                faults={faultsOfStep(shown, openStep)}
                dispatch={dispatch}
              />
            )}
          </div>
          <PreviewPane recipe={wanted} isSound={areStepsSound} onFaults={setTried} />
        </>
      )}
      {save.error && <ErrorNotice error={save.error} />}
      {mayWrite && (
        <div className="flex items-center gap-3 border-t border-rule-strong bg-surface px-6 py-2">
          <Button
            look="main"
            disabled={save.isPending || !areStepsSound}
            onClick={() => void saveAnd('list').catch(() => {})}
          >
            {recipe ? 'Save the recipe' : 'Make the recipe'}
          </Button>
          <Button
            disabled={save.isPending || !areStepsSound}
            onClick={() => void saveAnd('rebuild').catch(() => {})}
          >
            Save and rebuild
          </Button>
          <ImpactLine recipe={wanted} isNew={recipe === null} isSound={faults.length === 0} />
        </div>
      )}
    </div>
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

/** What the recipe was before, and the way back to it. */
function Revisions({ name, onTake }: { name: string; onTake: (recipe: PortableRecipe) => void }) {
  return (
    <Popup className="max-h-96 w-[30rem] overflow-y-auto" button={<Button look="quiet">Revisions</Button>}>
      <RevisionList name={name} onTake={onTake} />
    </Popup>
  );
}

function RevisionList({ name, onTake }: { name: string; onTake: (recipe: PortableRecipe) => void }) {
  const { data: revisions = [] } = useRevisions(name);
  return (
    <ul>
      {revisions.map(
        ({ revision, by, at, changes, recipe }, index): ReactNode => (
          <li
            key={revision}
            className="grid grid-cols-[2rem_minmax(0,1fr)_auto] gap-3 border-b border-rule px-4 py-2 text-sm"
          >
            <span className="figure leading-5">{revision}</span>
            <span>
              {changes.length > 0
                ? changes.join('; ')
                : index === revisions.length - 1
                  ? 'made'
                  : 'title, folders or time'}
              <span className="block text-xs text-soft">
                {by}, {formatMoment(at)}
              </span>
            </span>
            {index > 0 && (
              <Button look="quiet" className="h-6" onClick={() => onTake({ ...recipe, name })}>
                Take this one
              </Button>
            )}
          </li>
        ),
      )}
    </ul>
  );
}

/** The whole recipe as JSON, to be read and written. */
function JsonPane({
  recipe,
  isNew,
  onTake,
}: {
  recipe: PortableRecipe;
  isNew: boolean;
  onTake: (recipe: PortableRecipe) => void;
}) {
  const [text, setText] = useState(() => JSON.stringify(recipe, null, 2));
  const [fault, setFault] = useState<string | null>(null);
  const change = (value: string) => {
    setText(value);
    try {
      const read = JSON.parse(value) as PortableRecipe;
      if (!Array.isArray(read.steps) || typeof read.output !== 'object')
        throw new Error('it has no steps or no output');
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
