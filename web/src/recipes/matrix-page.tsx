import { RENDITION_STATES, type RenditionState } from '@uniferum/core/recipes';
import { useEffect, useState } from 'react';
import { useRight } from '../access/hooks.js';
import { Page } from '../console/page.js';
import { AsCode } from '../ui/as-code.js';
import { Button } from '../ui/button.js';
import { Input } from '../ui/field.js';
import { formatNumber } from '../ui/format.js';
import { EmptyPlace, ErrorNotice, FailureLine } from '../ui/notice.js';
import { StateMark } from '../ui/state-mark.js';
import { TextLink } from '../ui/text-link.js';
import { useAddressValue } from '../ui/use-address-value.js';
import { useDebounced } from '../ui/use-debounced.js';
import { useMatrix, useRecipes } from './hooks.js';
import { MatrixGrid } from './matrix-grid.js';
import { RebuildDialog } from './rebuild-dialog.js';
import { RecipesViews } from './recipes-views.js';

/** Every file with the state of each recipe's rendition. */
export function MatrixPage() {
  const { state, words, settled, setState, setWords } = useMatrixFilter();
  const [isRebuilding, setRebuilding] = useState(false);
  const query = { q: settled, ...(state && { state }) };
  const { data, error, hasNextPage, isFetchingNextPage, fetchNextPage } = useMatrix(query);
  const { data: recipes = [] } = useRecipes();
  const rows = data?.pages.flatMap(({ items }) => items) ?? [];
  const [first] = data?.pages ?? [];
  return (
    <Page
      title="Recipes"
      note={first && `${formatNumber(rows.length)} of ${formatNumber(first.total)} files`}
      actions={<MatrixActions query={query} onRebuild={() => setRebuilding(true)} />}
    >
      <RecipesViews />
      <div className="flex min-h-11 flex-wrap items-center gap-x-5 gap-y-1 border-b border-rule px-6 py-1">
        <StateChoice state={state} onChoose={setState} />
        <Input
          aria-label="Filter"
          className="ml-auto w-72 font-mono"
          placeholder="kind:image folder:/lights"
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
      </div>
      {error && <ErrorNotice error={error} />}
      {first && rows.length === 0 ? (
        <NoFile onShowAll={() => setState(null)} isAnyState={state === null} />
      ) : (
        <MatrixGrid
          rows={rows}
          recipes={first?.recipes.filter((name) => rows.some(({ cells }) => name in cells)) ?? []}
          hasMore={hasNextPage && !isFetchingNextPage}
          onMore={() => void fetchNextPage()}
        />
      )}
      {isRebuilding && (
        <RebuildDialog recipes={recipes} start={{ q: settled }} onClose={() => setRebuilding(false)} />
      )}
    </Page>
  );
}

/** The state and the filter that select the files; both are part of the URL. */
function useMatrixFilter() {
  const [q, setQ] = useAddressValue('q');
  const [named, setState] = useAddressValue('state');
  const [words, setWords] = useState(q ?? '');
  const settled = useDebounced(words, 300);
  useEffect(() => setQ(settled), [settled, setQ]);
  const state: RenditionState | null = RENDITION_STATES.find((one) => one === named) ?? null;
  return { state, words, settled, setState, setWords };
}

interface MatrixActionsProps {
  query: { q: string; state?: RenditionState };
  onRebuild: () => void;
}

function MatrixActions({ query: { q, state }, onRebuild }: MatrixActionsProps) {
  const mayWrite = useRight('recipes:write');
  const asked = { ...(q && { q }), ...(state && { state }) };
  return (
    <>
      <AsCode
        code={{
          method: 'GET',
          path: `/recipes/matrix?${new URLSearchParams(asked)}`,
          client: `const { items, total } = await uniferum.recipes.matrix(${JSON.stringify(asked)});`,
        }}
      />
      {mayWrite && (
        <Button look="main" onClick={onRebuild}>
          Rehearse a rebuild
        </Button>
      )}
    </>
  );
}

interface StateChoiceProps {
  state: RenditionState | null;
  onChoose: (state: RenditionState | null) => void;
}

function StateChoice({ state, onChoose }: StateChoiceProps) {
  const { data: recipes, error } = useRecipes();
  const countOf = (one: RenditionState) => recipes?.reduce((sum, { renditions }) => sum + renditions[one], 0);
  return (
    <div
      role="radiogroup"
      aria-label="Only files with a rendition that is"
      className="flex flex-wrap gap-x-4"
    >
      {([null, ...RENDITION_STATES] as const).map((one) => (
        <label key={one ?? 'any'} className="inline-flex items-center gap-1.5 text-sm">
          <input
            type="radio"
            name="state"
            className="accent-oxide"
            checked={state === one}
            onChange={() => onChoose(one)}
          />
          {one === null ? 'any state' : <StateMark state={one} count={countOf(one)} />}
        </label>
      ))}
      <FailureLine error={error} />
    </div>
  );
}

function NoFile({ isAnyState, onShowAll }: { isAnyState: boolean; onShowAll: () => void }) {
  const { data: recipes } = useRecipes();
  const isWithoutRecipe = recipes?.length === 0;
  return (
    <div className="p-6">
      {isAnyState ? (
        <EmptyPlace
          title="No files yet"
          action={
            <TextLink to={isWithoutRecipe ? '/recipes/new' : '/intake'}>
              {isWithoutRecipe ? 'Create a recipe' : 'Import files'}
            </TextLink>
          }
        >
          Files to which a recipe applies are listed here, with the state of each rendition.
        </EmptyPlace>
      ) : (
        <EmptyPlace title="No files" action={<Button onClick={onShowAll}>Show any state</Button>}>
          No file has a rendition in this state.
        </EmptyPlace>
      )}
    </div>
  );
}
