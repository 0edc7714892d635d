import type { Tagged } from '@uniferum/client';
import { canonicalJson, type PortableRecipe, type RecipeAnswer } from '@uniferum/core/recipes';
import type { FieldError } from '@uniferum/core/shared';
import { type Dispatch, type ReactNode, useReducer, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { useRight } from '../access/hooks.js';
import { uniferum } from '../client.js';
import { Button } from '../ui/button.js';
import { ErrorNotice } from '../ui/notice.js';
import { isStale } from '../ui/save-merged.js';
import { useUnsavedChanges } from '../ui/unsaved.js';
import { AppliesSettings } from './applies-settings.js';
import { ChainBand } from './chain-band.js';
import {
  type Draft,
  type DraftAction,
  draftFaults,
  editDraft,
  faultsOfStep,
  NEW_RECIPE,
  portableOf,
  toDraft,
  toRecipe,
} from './draft.js';
import { EditorHead } from './editor-head.js';
import { useOpenedRecipe, useRecipe, useRecipeChanges } from './hooks.js';
import { ImpactLine } from './impact-line.js';
import { JsonPane } from './json-pane.js';
import { OutputSettings } from './output-settings.js';
import { PreviewPane } from './preview-pane.js';
import { StepSettings } from './step-settings.js';

/** The recipe editor: a chain that can be tried on the user's own pictures. */
export function EditorPage() {
  const { name = null } = useParams();
  const { data: opened, error, refetch } = useOpenedRecipe(name);
  if (error)
    return (
      <div className="p-6">
        <ErrorNotice error={error} />
      </div>
    );
  if (name !== null && !opened) return null;
  return <Editor key={`${name} ${opened?.etag}`} opened={opened ?? null} onReload={() => void refetch()} />;
}

interface EditorProps {
  /** The recipe for which the page was opened, as it was then; null for a new one. */
  opened: Tagged<RecipeAnswer> | null;
  /** Reads the recipe again, and drops the draft. */
  onReload: () => void;
}

function Editor({ opened, onReload }: EditorProps) {
  const recipe = opened?.value ?? null;
  const [draft, dispatch] = useReducer(editDraft, recipe ? portableOf(recipe) : NEW_RECIPE, toDraft);
  const [isJson, setJson] = useState(false);
  const [isTouched, setTouched] = useState(recipe !== null);
  const faults = draftFaults(draft);
  const wanted = toRecipe(draft);
  const isChanged = canonicalJson(wanted) !== canonicalJson(recipe ? portableOf(recipe) : NEW_RECIPE);
  const release = useUnsavedChanges(isChanged ? 'The recipe has not been saved.' : null);
  const saving = useSaving(opened, wanted, release);
  const saveAnd = (next: 'list' | 'rebuild') => {
    setTouched(true);
    if (faults.length === 0) void saving.saveAnd(next).catch(() => {});
  };
  const areStepsSound = !faults.some(({ field }) => field !== 'title' && field !== 'name');
  return (
    <div className="flex h-full min-h-0 flex-col overflow-y-auto">
      <EditorHead
        recipe={recipe}
        draft={draft}
        fault={isTouched ? faults.find(({ field }) => field === 'title' || field === 'name') : undefined}
        isJson={isJson}
        onJson={setJson}
        dispatch={dispatch}
      />
      {isJson ? (
        <JsonPane
          recipe={wanted}
          isNew={recipe === null}
          onTake={(taken) => dispatch({ do: 'load', recipe: taken })}
        />
      ) : (
        <Chain draft={draft} faults={faults} isSound={areStepsSound} dispatch={dispatch} />
      )}
      {recipe && <SavedByOthers opened={recipe} onReload={onReload} onKeep={saving.takeOver} />}
      {saving.error && !isStale(saving.error) && <ErrorNotice error={saving.error} />}
      <EditorFoot isNew={recipe === null} isDisabled={saving.isPending || !areStepsSound} onSave={saveAnd}>
        <ImpactLine recipe={wanted} isNew={recipe === null} isSound={faults.length === 0} />
      </EditorFoot>
    </div>
  );
}

/** Saves the recipe, then opens the list, or starts the run that makes its renditions and opens it. */
function useSaving(opened: Tagged<RecipeAnswer> | null, wanted: PortableRecipe, onSaved: () => void) {
  const changes = useRecipeChanges();
  const navigate = useNavigate();
  // Saved against the state that was read, until the user decides to replace a newer one.
  const [etag, setEtag] = useState(opened?.etag);
  const saveAnd = async (next: 'list' | 'rebuild') => {
    if (etag === undefined) await changes.make.mutateAsync(wanted);
    else await changes.put.mutateAsync({ recipe: wanted, ifMatch: etag });
    onSaved();
    if (next === 'list') return void navigate('/recipes');
    const { run } = await changes.rebuild.mutateAsync({ recipes: [wanted.name], only: 'unfinished' });
    void navigate(`/runs?run=${run.id}`);
  };
  const takeOver = async () => {
    changes.put.reset();
    setEtag((await uniferum.recipes.getTagged(wanted.name)).etag);
  };
  const { make, put, rebuild } = changes;
  return {
    saveAnd,
    takeOver,
    error: make.error ?? put.error ?? rebuild.error,
    isPending: make.isPending || put.isPending || rebuild.isPending,
  };
}

interface SavedByOthersProps {
  opened: RecipeAnswer;
  onReload: () => void;
  onKeep: () => Promise<void>;
}

/** Announces that the recipe was saved by somebody else while it was being edited. The draft stays. */
function SavedByOthers({ opened, onReload, onKeep }: SavedByOthersProps) {
  const [kept, setKept] = useState(opened.revision);
  const { data: current } = useRecipe(opened.name);
  if (!current || current.revision === kept) return null;
  return (
    <div
      role="status"
      className="flex items-center gap-3 border-t border-ochre bg-ochre/10 px-6 py-2 text-sm"
    >
      <p className="flex-1">
        Somebody else saved this recipe while you were editing it. Your draft is still here.
      </p>
      <Button onClick={onReload}>Load the saved recipe</Button>
      <Button onClick={() => void onKeep().then(() => setKept(current.revision))}>Keep my draft</Button>
    </div>
  );
}

interface ChainProps {
  draft: Draft;
  faults: readonly FieldError[];
  isSound: boolean;
  dispatch: Dispatch<DraftAction>;
}

/** The chain, the settings of the open card, and the preview. */
function Chain({ draft, faults, isSound, dispatch }: ChainProps) {
  // Errors that only the picture reveals, such as a crop beyond its edge.
  const [tried, setTried] = useState<FieldError[]>([]);
  const shown = [...faults, ...tried];
  const openStep = draft.steps.findIndex(({ id }) => id === draft.open);
  const step = draft.steps[openStep];
  return (
    <>
      <ChainBand draft={draft} faults={shown} dispatch={dispatch} />
      <div
        className="min-h-[5.25rem] shrink-0 border-y border-rule bg-surface px-6 py-2.5"
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
      <PreviewPane recipe={toRecipe(draft)} isSound={isSound} onFaults={setTried} />
    </>
  );
}

interface EditorFootProps {
  isNew: boolean;
  isDisabled: boolean;
  onSave: (next: 'list' | 'rebuild') => void;
  children: ReactNode;
}

function EditorFoot({ isNew, isDisabled, onSave, children }: EditorFootProps) {
  const mayWrite = useRight('recipes:write');
  if (!mayWrite) return null;
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-3 border-t border-rule-strong bg-surface px-6 py-2">
      <Button look="main" disabled={isDisabled} onClick={() => onSave('list')}>
        {isNew ? 'Create recipe' : 'Save recipe'}
      </Button>
      <Button disabled={isDisabled} onClick={() => onSave('rebuild')}>
        Save and rebuild
      </Button>
      {children}
    </div>
  );
}
