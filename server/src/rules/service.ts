import { pathChain } from '@uniferum/core/library';
import { type EffectiveRules, type FolderRules, type RulesAnswer, resolveRules } from '@uniferum/core/rules';
import { recordEvent } from '../events/outbox.js';
import { findFolder, findFoldersByPaths, updateFolderRules } from '../library/folder-queries.js';
import { type Database, type Executor, inTransaction } from '../shared/database.js';
import { notFound } from '../shared/errors.js';
import { requireMatch, revisionTag } from '../shared/etag.js';
import { rulesChanged } from './events.js';

/**
 * Computes the effective rules of a folder. A path that does not exist yet takes the rules of its nearest existing
 * ancestor.
 */
export async function effectiveRules(db: Executor, path: string): Promise<EffectiveRules> {
  return resolveRules(await findFoldersByPaths(db, pathChain(path)));
}

/** Reads the rules of a folder with an entity tag. @throws UniferumError `not-found` */
export async function readRules(
  db: Executor,
  folderId: string,
): Promise<{ rules: RulesAnswer; etag: string }> {
  const folder = await findFolder(db, folderId);
  if (folder === null) throw notFound(`Folder ${folderId}`);
  return {
    rules: { own: folder.rules, effective: await effectiveRules(db, folder.path) },
    etag: revisionTag(folder.id, folder.revision),
  };
}

/** Replaces a folder's own rules. */
export async function putRules(
  db: Database,
  folderId: string,
  rules: FolderRules,
  { by, ifMatch }: { by: string; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(db, async (tx) => {
    const folder = await findFolder(tx, folderId, { lock: true });
    if (folder === null) throw notFound(`Folder ${folderId}`);
    requireMatch(ifMatch, revisionTag(folder.id, folder.revision), `The folder ${folder.path}`);
    await updateFolderRules(tx, folder.id, rules);
    await recordEvent(tx, { event: rulesChanged, by, data: { folder: folder.path, rules } });
  });
}
