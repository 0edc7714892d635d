import type { AssetRendition, Page } from '@uniferum/core/library';
import type {
  ImportStep,
  MatrixPageAnswer,
  OptimisePlan,
  PortableRecipe,
  RebuildPlan,
  Recipe,
  RecipeAnswer,
  RecipeImpact,
  RecipeOutput,
  RecipesDocument,
  RenditionState,
  RenditionStoryAnswer,
  Snippet,
  Step,
} from '@uniferum/core/recipes';
import type { Run } from '@uniferum/core/runs';
import { UniferumConnectionError } from './errors.js';
import { type CallOptions, type Http, pause } from './http.js';
import type { ListCall } from './paging.js';
import type { AssetSelection } from './types.js';

/** A recipe as sent; absent fields have their defaults. */
export type RecipeRequest = Partial<PortableRecipe> & Pick<Recipe, 'title' | 'steps'>;

export interface RebuildRequest {
  recipes?: string[];
  /** Absent for the whole library. */
  select?: AssetSelection;
  /** `missing`: due or failed; `unfinished`: all that are not fresh. */
  only: 'missing' | 'outdated' | 'failed' | 'unfinished' | 'all';
}

export interface RecipeRevisionAnswer {
  revision: number;
  by: string;
  at: string;
  changes: string[];
  recipe: PortableRecipe;
}

export interface ImportPlan {
  items: ImportStep[];
  totals: { make: number; change: number; same: number };
}

/** A chain of steps for one picture. */
export interface RenderRequest {
  steps: Step[];
  output?: Partial<RecipeOutput>;
}

export interface Preview {
  /** The picture as a data URI. */
  data: string;
  mime: string;
  width: number;
  height: number;
  bytes: number;
  quality: number | null;
  likeness: number | null;
  workMs: number;
}

export interface SurplusRendition {
  asset: { id: string; name: string; folder: string };
  recipe: string;
  variant: string | null;
  url: string;
  mime: string;
  width: number;
  height: number;
  bytes: number;
  why: 'recipe-removed' | 'size-removed' | 'does-not-apply';
  requests: number;
  lastRequestAt: string | null;
  /** The places on pages that show it. */
  uses: number;
  /** The target of the redirect once it is deleted. */
  leadsTo: string;
}

export interface SurplusRequest {
  recipes?: string[];
  /** Only those that were not requested within this many days. */
  unaskedDays?: number;
  keys?: { asset: string; recipe: string; variant: string | null }[];
}

export interface OptimiseRequest {
  select: AssetSelection;
  /** @defaultValue 'lossless' */
  mode?: 'lossless' | 'likeness';
  /** The minimum structural similarity, for the mode `likeness`. @defaultValue 0.99 */
  likeness?: number;
}

const REHEARSE = { rehearse: true } as const;

/** Recipes and rebuilding. */
export function recipeCalls(http: Http, list: ListCall) {
  return {
    list: (call: CallOptions = {}) => list<RecipeAnswer>('/recipes', {}, call),
    get: (name: string, call: CallOptions = {}) => http.json<RecipeAnswer>(`/recipes/${name}`, call),
    /** One recipe with its entity tag, to edit it with `ifMatch`. */
    getTagged: (name: string, call: CallOptions = {}) => http.tagged<RecipeAnswer>(`/recipes/${name}`, call),
    make: (recipe: RecipeRequest & Pick<Recipe, 'name'>, call: CallOptions = {}) =>
      http.json<RecipeAnswer>('/recipes', { ...call, method: 'POST', json: recipe }),
    put: (name: string, recipe: RecipeRequest, call: CallOptions = {}) =>
      http.json<RecipeAnswer>(`/recipes/${name}`, { ...call, method: 'PUT', json: recipe }),
    /** The impact of a new recipe; changes nothing. */
    rehearseMake: (recipe: RecipeRequest & Pick<Recipe, 'name'>, call: CallOptions = {}) =>
      http.json<{ plan: RecipeImpact }>('/recipes', {
        ...call,
        method: 'POST',
        json: recipe,
        query: REHEARSE,
      }),
    /** The impact of a change: files that would become outdated, and the cost of rebuilding them; changes nothing. */
    rehearsePut: (name: string, recipe: RecipeRequest, call: CallOptions = {}) =>
      http.json<{ plan: RecipeImpact }>(`/recipes/${name}`, {
        ...call,
        method: 'PUT',
        json: recipe,
        query: REHEARSE,
      }),
    remove: (name: string, call: CallOptions = {}) =>
      http.json<void>(`/recipes/${name}`, { ...call, method: 'DELETE' }),
    revisions: (name: string, call: CallOptions = {}) =>
      list<RecipeRevisionAnswer>(`/recipes/${name}/revisions`, {}, call),
    /** All recipes, or the named ones, as one document. */
    export: (names?: readonly string[], call: CallOptions = {}) =>
      http.json<RecipesDocument>('/recipes/export', {
        ...call,
        query: { ...(names && { names: names.join(',') }) },
      }),
    rehearseImport: (recipes: RecipesDocument, call: CallOptions = {}) =>
      http.json<{ plan: ImportPlan }>('/recipes/import', {
        ...call,
        method: 'POST',
        json: recipes,
        query: REHEARSE,
      }),
    import: (recipes: RecipesDocument, call: CallOptions = {}) =>
      http.json<{ plan: ImportPlan }>('/recipes/import', { ...call, method: 'POST', json: recipes }),
    /** The JSON Schema of a recipes document. */
    schema: (call: CallOptions = {}) => http.json<Record<string, unknown>>('/recipes/schema.json', call),
    /** Previews a chain of steps on an asset; stores nothing. */
    preview: (request: RenderRequest & { asset: string }, call: CallOptions = {}) =>
      http.json<Preview>('/recipes/preview', { ...call, method: 'POST', json: request }),
    /** Lists what a rebuild would make; changes nothing. */
    rehearseRebuild: (request: RebuildRequest, call: CallOptions = {}) =>
      http.json<{ plan: RebuildPlan }>('/recipes/rebuild', {
        ...call,
        method: 'POST',
        json: request,
        query: REHEARSE,
      }),
    rebuild: (request: RebuildRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/recipes/rebuild', { ...call, method: 'POST', json: request }),
    /** Assets × recipes with the state of each rendition. */
    matrix: (
      query: {
        q?: string;
        folder?: string;
        deep?: boolean;
        state?: RenditionState;
        limit?: number;
        cursor?: string;
      } = {},
      call: CallOptions = {},
    ) => http.json<MatrixPageAnswer>('/recipes/matrix', { ...call, query }),
  };
}

export interface RenditionWait extends CallOptions {
  /** Only these. @defaultValue all that are made without being asked for */
  recipes?: readonly string[];
  /** @defaultValue two minutes */
  timeoutMs?: number;
  /** @defaultValue 300 */
  pollMs?: number;
}

/** Until they are made, or known not to be. */
async function waitForRenditions(
  http: Http,
  asset: string | { id: string },
  { recipes, timeoutMs = 120_000, pollMs = 300, signal }: RenditionWait,
): Promise<AssetRendition[]> {
  const id = typeof asset === 'string' ? asset : asset.id;
  const until = Date.now() + timeoutMs;
  for (;;) {
    const { items } = await http.json<Page<AssetRendition>>(`/assets/${id}/renditions`, {
      ...(signal && { signal }),
    });
    const wanted = items.filter(({ recipe }) => recipes === undefined || recipes.includes(recipe));
    const waiting = wanted.filter(({ state }) => state === 'due' || (recipes && state === 'outdated'));
    if (waiting.length === 0) return wanted;
    if (Date.now() >= until)
      throw new UniferumConnectionError(
        'timeout',
        `${waiting.map(({ recipe }) => recipe).join(', ')} of asset ${id} took longer than ${timeoutMs / 1000} s. Check that a worker is running. Files that were there before their recipe are rendered by a rebuild.`,
      );
    await pause(pollMs, signal);
  }
}

/** Single renditions, and surplus ones. */
export function renditionCalls(http: Http) {
  return {
    /**
     * Waits until the renditions of an asset are made, or can't be: their states and reasons say which.
     *
     * @throws UniferumConnectionError with the code `timeout`
     */
    wait: (asset: string | { id: string }, options: RenditionWait = {}) =>
      waitForRenditions(http, asset, options),
    /** Why a rendition is in its state. */
    explain: (
      assetId: string,
      recipe: string,
      { variant, ...call }: CallOptions & { variant?: string | null } = {},
    ) =>
      http.json<RenditionStoryAnswer>(`/assets/${assetId}/renditions/${recipe}`, {
        ...call,
        query: { ...(variant && { variant }) },
      }),
    /** The HTML for a recipe's renditions, with srcset and fallbacks. */
    snippet: (assetId: string, query: { recipe: string; sizes?: string }, call: CallOptions = {}) =>
      http.json<Snippet>(`/assets/${assetId}/snippet`, { ...call, query }),
    /** A signed URL at which a chain of steps is rendered on the first request. */
    address: (assetId: string, request: RenderRequest, call: CallOptions = {}) =>
      http.json<{ url: string }>(`/assets/${assetId}/address`, { ...call, method: 'POST', json: request }),
    surplus: (
      query: { unaskedDays?: number; recipe?: string; limit?: number; cursor?: string } = {},
      call: CallOptions = {},
    ) => http.json<Page<SurplusRendition> & { bytes: number }>('/renditions/surplus', { ...call, query }),
    rehearseRemoval: (request: SurplusRequest, call: CallOptions = {}) =>
      http.json<{
        plan: { items: SurplusRendition[]; totals: { items: number; bytes: number; used: number } };
      }>('/renditions/surplus/remove', { ...call, method: 'POST', json: request, query: REHEARSE }),
    /** Deletes surplus renditions; their URLs redirect, and the run can be undone for thirty days. */
    removeSurplus: (request: SurplusRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/renditions/surplus/remove', { ...call, method: 'POST', json: request }),
    rehearseOptimise: (request: OptimiseRequest, call: CallOptions = {}) =>
      http.json<{ plan: OptimisePlan }>('/assets/optimise', {
        ...call,
        method: 'POST',
        json: request,
        query: REHEARSE,
      }),
    /** Optimises originals; the previous versions stay and can be restored. */
    optimise: (request: OptimiseRequest, call: CallOptions = {}) =>
      http.json<{ run: Run }>('/assets/optimise', { ...call, method: 'POST', json: request }),
    /** The total saved by optimising. */
    optimised: (call: CallOptions = {}) =>
      http.json<{ files: number; before: number; after: number }>('/assets/optimised', call),
  };
}
