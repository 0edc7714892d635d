import { judgeFile, kindOfMime, type Verdict } from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { recordEvent } from '../hooks/outbox.js';
import { factsOf } from '../intake/examine.js';
import type { ReceivedFile } from '../intake/incoming.js';
import { orderOptimising, refreshRenditions } from '../recipes/bookkeeping.js';
import { focalPoint } from '../recipes/digests.js';
import { adoptRenditions } from '../recipes/queries.js';
import { effectiveRules } from '../rules/service.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import { type AssetRow, textsOf } from './asset-queries.js';
import { holdAsset, storeOf } from './assets.js';
import { countHolders } from './blob-queries.js';
import { recordBlobs } from './blobs.js';
import { countFacets, facetSubject } from './facet-queries.js';
import { addToFolder } from './folder-queries.js';
import { addToTally } from './tallies.js';
import {
  findVersion,
  insertVersion,
  updateContent,
  updateOptimise,
  type VersionRow,
} from './version-queries.js';

/** The bytes that an asset is to have. */
type Content = Omit<VersionRow, 'n' | 'made_by' | 'created_at' | 'restored_from' | 'optimised_from'>;

/**
 * Gives an asset new bytes at the same address: a new version, judged by its folder's rules. The old version stays in
 * the history, and its renditions serve until the new ones are made.
 *
 * @throws UniferumError `refused` with the verdict
 */
export async function replaceContent(
  app: App,
  id: string,
  { file, staged, examined }: ReceivedFile,
  { who, ifMatch }: { who: Principal; ifMatch: string | undefined },
): Promise<Verdict> {
  try {
    if (staged.path === null)
      throw new UniferumError('too-large', `${file.name} is larger than this installation takes.`);
    await staged.keep();
    return await inTransaction(app.db, async (tx) => {
      const row = await holdAsset(tx, id, ifMatch);
      const verdict = await judgeReplacement(tx, row, { file, staged, examined });
      const { sha256, bytes, crc32, copy } = staged;
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      await putContent(tx, row, {
        by: who.name,
        restoredFrom: null,
        content: {
          sha256,
          bytes,
          mime: examined.mime,
          width: examined.size?.width ?? null,
          height: examined.size?.height ?? null,
          orientation: examined.size?.orientation ?? null,
        },
      });
      return verdict;
    });
  } finally {
    await staged.discard();
  }
}

/** Makes an earlier version the current one again, as a new version. */
export async function restoreVersion(
  app: App,
  id: string,
  n: number,
  { who, ifMatch }: { who: Principal; ifMatch: string | undefined },
): Promise<void> {
  await inTransaction(app.db, async (tx) => {
    const row = await holdAsset(tx, id, ifMatch);
    const version = await findVersion(tx, id, n);
    if (version === null) throw notFound(`Version ${n} of ${row.name}`);
    if (version.sha256 === row.sha256) return;
    const current = await findVersion(tx, id, row.version);
    // Whoever takes the optimising back doesn't want it again.
    if (current?.optimised_from === n) await updateOptimise(tx, id, null);
    await putContent(tx, row, { content: version, by: who.name, restoredFrom: n });
  });
}

async function judgeReplacement(
  tx: Transaction,
  row: AssetRow,
  { file, staged, examined }: ReceivedFile,
): Promise<Verdict> {
  const refuse = (message: string): never => {
    throw new UniferumError('refused', message, {
      verdict: {
        name: file.name,
        outcome: 'refused',
        reasons: [{ code: 'type-mismatch', message, limit: row.mime, actual: examined.mime, folder: null }],
      },
    });
  };
  if (kindOfMime(examined.mime) !== row.kind)
    refuse(
      `${row.name} is of kind ${row.kind}, and what came is ${examined.mime}. At the same address only the same kind can stand; bring it in as a file of its own.`,
    );
  const facts = factsOf({ ...file, name: row.name }, staged, { ...examined, texts: textsOf(row) });
  // It takes the place of the one that is there: the number of items stays.
  const verdict = judgeFile(facts, await effectiveRules(tx, row.folder_path), {
    path: row.folder_path,
    items: -1,
  });
  if (verdict.outcome === 'refused')
    throw new UniferumError('refused', verdict.reasons.map(({ message }) => message).join(' '), { verdict });
  return verdict;
}

/** Gives an asset that is held new bytes, as its next version. */
export async function putContent(
  tx: Transaction,
  row: AssetRow,
  {
    content,
    by,
    restoredFrom,
    optimisedFrom = null,
    looksTheSame = false,
  }: {
    content: Content;
    by: string;
    restoredFrom: number | null;
    optimisedFrom?: number | null;
    /** Not a pixel is another: what was made of the old bytes is what would be made of the new ones. */
    looksTheSame?: boolean;
  },
): Promise<void> {
  const id = String(row.id);
  const n = row.version + 1;
  const before = facetSubject(row, await storeOf(tx, row.sha256));
  await insertVersion(tx, id, {
    ...content,
    n,
    made_by: by,
    restored_from: restoredFrom,
    optimised_from: optimisedFrom,
  });
  await updateContent(tx, id, { ...content, n }, { looksTheSame });
  if (looksTheSame) await adoptRenditions(tx, id, { from: row.sha256, to: content.sha256, version: n });
  await countHolders(tx, [row.sha256], -1);
  await countHolders(tx, [content.sha256], 1);
  const difference = { items: 0, bytes: content.bytes - row.bytes };
  await addToFolder(tx, String(row.folder_id), difference);
  await addToTally(tx, 'kind', row.kind, difference);
  await countFacets(tx, [
    { sign: -1, subject: before },
    {
      sign: 1,
      subject: {
        ...before,
        mime: content.mime,
        bytes: content.bytes,
        width: content.width,
        height: content.height,
        store: await storeOf(tx, content.sha256),
      },
    },
  ]);
  await refreshRenditions(
    tx,
    {
      id,
      name: row.name,
      kind: row.kind,
      mime: content.mime,
      folder: row.folder_path,
      revision: row.revision,
      sha256: content.sha256,
      focal: focalPoint(row),
    },
    by,
  );
  if (optimisedFrom === null) await orderOptimising(tx, id, row.name, by);
  await recordEvent(tx, {
    type: 'asset.replaced',
    asset: id,
    by,
    data: { id, name: row.name, version: n, bytes: content.bytes, restoredFrom, optimisedFrom },
  });
}
