import {
  describeChanges,
  explainDifference,
  explainState,
  type MatrixPageAnswer,
  type MatrixRow,
  RENDITION_STATES,
  type Recipe,
  type RenditionState,
  type RenditionStoryAnswer,
} from '@uniferum/core/recipes';
import { findAsset, findAssets } from '../library/asset-queries.js';
import { listSelected, type Selection } from '../library/bulk.js';
import { cutPage } from '../shared/cursor.js';
import type { Database } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { groupBy } from '../shared/group.js';
import { contentDigest, focalOf, focalPoint, marksDigest } from './digests.js';
import { findMarks } from './find-marks.js';
import { countAssetsByState, listAssetsByState } from './matrix-queries.js';
import { findRendition, findRenditions, type RenditionRow } from './queries.js';
import { findRecipe, listRecipes, listRevisions } from './recipe-queries.js';
import { renditionUrl } from './rendition-field.js';
import type { RecipeTools } from './tools.js';

export interface MatrixQuery {
  select: Selection | null;
  states: readonly RenditionState[] | null;
  limit: number;
  before: number | null;
}

/** Reads a page of assets × recipes, newest first. */
export async function readMatrix(tools: RecipeTools, query: MatrixQuery): Promise<MatrixPageAnswer> {
  const { db, config } = tools;
  const recipes = (await listRecipes(db)).map(({ name }) => name);
  if (recipes.length === 0) return { recipes, items: [], total: 0, next: null };
  const wanted = {
    recipes,
    states: query.states ?? RENDITION_STATES,
    assets: query.select === null ? null : await listSelected(tools, query.select),
  };
  const [ids, total] = await Promise.all([
    listAssetsByState(db, wanted, query),
    countAssetsByState(db, wanted),
  ]);
  const page = cutPage(ids, query.limit, (id) => [id]);
  const [assets, renditions] = await Promise.all([findAssets(db, page.rows), findRenditions(db, page.rows)]);
  const rowsOf = groupBy(renditions, ({ asset_id }) => asset_id);
  return {
    recipes,
    total,
    next: page.next,
    items: assets.map((asset) => {
      const rows = rowsOf.get(asset.id) ?? [];
      return {
        asset: {
          id: String(asset.id),
          name: asset.name,
          folder: asset.folder_path,
          kind: asset.kind,
          placeholder: asset.placeholder,
          preview: smallest(rows, (row) => renditionUrl(asset, row, config.mediaUrl)),
        },
        cells: cellsOf(rows, recipes),
      };
    }),
  };
}

function cellsOf(rows: readonly RenditionRow[], recipes: readonly string[]): MatrixRow['cells'] {
  const cells: MatrixRow['cells'] = {};
  for (const recipe of recipes) {
    const own = rows.filter((row) => row.recipe === recipe);
    const main = own.find(({ variant }) => variant === '');
    if (!main) continue;
    const made = own.filter(({ sha256 }) => sha256 !== null);
    cells[recipe] = {
      state: main.state,
      files: made.length,
      bytes: made.reduce((sum, { bytes }) => sum + (bytes ?? 0), 0),
    };
  }
  return cells;
}

function smallest(rows: readonly RenditionRow[], urlOf: (row: RenditionRow) => string | null): string | null {
  const made = rows.filter(
    ({ sha256, state, width }) => sha256 !== null && state !== 'surplus' && (width ?? 0) >= 60,
  );
  made.sort((a, b) => (a.width ?? 0) - (b.width ?? 0));
  return made[0] ? urlOf(made[0]) : null;
}

/** Explains the state of a rendition. @throws UniferumError `not-found` */
export async function explainRendition(
  db: Database,
  assetId: string,
  recipeName: string,
  variant: string,
): Promise<RenditionStoryAnswer> {
  const asset = await findAsset(db, assetId);
  if (asset === null) throw notFound(`Asset ${assetId}`);
  const row = await findRendition(db, assetId, recipeName, variant);
  if (row === null) throw notFound(`A rendition of ${asset.name} by ${recipeName}`);
  const recipe = await findRecipe(db, recipeName);
  const now = recipe && (await originNow(db, recipe, asset));
  const isKnown = row.content !== null && row.source_sha !== null;
  const differences =
    now && isKnown
      ? explainDifference(
          originOf(row),
          now,
          await changesSince(db, recipe, row.content ?? '', row.revision ?? 0),
        )
      : [];
  return {
    recipe: recipeName,
    variant: variant === '' ? null : variant,
    state: row.state,
    reasons: explainState(row.state, {
      error: row.error,
      when: recipe?.when ?? null,
      isVariant: variant !== '',
      differences,
    }),
    madeBy:
      row.revision === null || row.version === null ? null : { revision: row.revision, version: row.version },
    now: { revision: recipe?.revision ?? null, version: asset.version },
    quality: row.quality,
    likeness: row.likeness,
    workMs: row.work_ms,
  };
}

function originOf(row: RenditionRow) {
  return {
    revision: row.revision ?? 0,
    version: row.version ?? 0,
    content: row.content ?? '',
    sha256: row.source_sha ?? '',
    focal: readFocal(row.focal),
    marks: row.marks,
  };
}

async function originNow(
  db: Database,
  recipe: Recipe,
  asset: NonNullable<Awaited<ReturnType<typeof findAsset>>>,
) {
  const marks = await findMarks(db, [recipe]);
  return {
    revision: recipe.revision,
    version: asset.version,
    content: contentDigest(recipe),
    sha256: asset.sha256,
    focal: readFocal(focalOf(recipe, focalPoint(asset))),
    marks: marksDigest(recipe, (path) => marks.get(path)?.sha256 ?? null),
  };
}

/** What was edited in a recipe since the revision that made a file. */
async function changesSince(
  db: Database,
  recipe: Recipe,
  content: string,
  revision: number,
): Promise<string[]> {
  if (content === contentDigest(recipe)) return [];
  const then = (await listRevisions(db, recipe.name)).find((one) => one.revision === revision);
  return then ? describeChanges(then.recipe, recipe) : [];
}

function readFocal(text: string): { x: number; y: number } | null {
  const [x, y] = text.split(',').map(Number);
  return text === '' || x === undefined || y === undefined ? null : { x, y };
}
