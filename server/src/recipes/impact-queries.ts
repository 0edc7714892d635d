import { type Executor, selectOne } from '../shared/database.js';

/** A recipe's files, by whether they have a given content. */
export interface FilesByContent {
  /** They have it, and are outdated now. */
  same: number;
  /** They have another. */
  others: number;
  otherMains: number;
  outdated: number;
  outdatedMains: number;
  bytes: number;
}

/** Counts the files of a recipe with a given content, and those without. */
export async function countFilesByContent(
  db: Executor,
  recipe: string,
  content: string,
): Promise<FilesByContent> {
  const row = await selectOne<Record<keyof FilesByContent, number | string | null>>(
    db,
    `SELECT SUM(renditions.content <=> ? AND renditions.state = 'outdated') AS same,
            SUM(NOT renditions.content <=> ?) AS others,
            SUM(NOT renditions.content <=> ? AND renditions.variant = '') AS otherMains,
            SUM(renditions.state = 'outdated') AS outdated,
            SUM(renditions.state = 'outdated' AND renditions.variant = '') AS outdatedMains,
            SUM(renditions.bytes) AS bytes
     FROM renditions
     JOIN assets ON assets.id = renditions.asset_id
     WHERE renditions.recipe = ? AND renditions.state IN ('fresh', 'outdated') AND assets.live = 1`,
    [content, content, content, recipe],
  );
  return {
    same: Number(row?.same ?? 0),
    others: Number(row?.others ?? 0),
    otherMains: Number(row?.otherMains ?? 0),
    outdated: Number(row?.outdated ?? 0),
    outdatedMains: Number(row?.outdatedMains ?? 0),
    bytes: Number(row?.bytes ?? 0),
  };
}
