import { kindOfMime, type Reason, type Verdict } from '@uniferum/core/intake';
import type { FileFacts } from '@uniferum/core/rules';
import { recordEvent } from '../events/outbox.js';
import type { StagedBytes } from '../shared/byte-store.js';
import { addToCounter } from '../shared/counters.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { notFound, UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { type AssetRow, findAsset, updateVerdict } from './asset-queries.js';
import { holdAsset } from './assets.js';
import { countHolders } from './blob-queries.js';
import { recordBlobs } from './blobs.js';
import { storeOf } from './count-asset.js';
import { assetReplaced } from './events.js';
import { countFacets, facetSubject } from './facet-queries.js';
import { addToFolder } from './folder-queries.js';
import { NOTHING_PREPARED, prepareChanges, requireChange, requireNone } from './guards.js';
import type { AssetChange, Joints, Objection } from './joints.js';
import { lockFor } from './listeners.js';
import type { LibraryTools } from './tools.js';
import {
  findVersion,
  insertVersion,
  updateContent,
  updateOptimise,
  type VersionRow,
} from './version-queries.js';

/** The new bytes of an asset. */
type Content = Omit<VersionRow, 'n' | 'made_by' | 'created_at' | 'restored_from' | 'optimised_from'>;

/** A received file and the results of its inspection. */
export interface Replacing {
  staged: StagedBytes;
  /** The facts that rules depend on, except the name, which stays the same. */
  facts: Omit<FileFacts, 'name' | 'bytes'> & { mime: string };
  orientation: number | null;
}

/**
 * Replaces an asset's bytes at the same URL with a new version, as far as guards allow. The old version stays in the
 * history, and its renditions are served until the new ones are ready.
 *
 * @throws UniferumError `refused` with the verdict
 */
export async function replaceContent(
  { db, joints }: LibraryTools,
  id: string,
  { staged, facts, orientation }: Replacing,
  { who, ifMatch }: { who: Principal; ifMatch: string | undefined },
): Promise<void> {
  const { sha256, bytes, crc32, copy } = staged;
  const changeOf = (row: AssetRow): AssetChange => ({
    kind: 'replace',
    row,
    content: { ...facts, name: row.name, sha256, bytes },
  });
  try {
    const known = await findAsset(db, id);
    if (known === null || known.live === null) throw notFound(`Asset ${id}`);
    if (staged.path === null)
      throw new UniferumError('too-large', `${known.name} exceeds the size limit of this installation.`);
    const prepared = await prepareChanges(joints, db, [changeOf(known)]);
    await staged.keep();
    await inTransaction(db, async (tx) => {
      await lockFor(joints, tx, { ids: [id] });
      const row = await holdAsset(tx, id, ifMatch);
      requireKind(row, facts.mime);
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      // The same bytes again make no version; if they were missing in the store, they are there again.
      if (row.sha256 === sha256) return;
      const warnings = await requireChange(joints, tx, changeOf(row), prepared);
      // The cleanup may have quarantined the bytes before they were referenced.
      await staged.keep();
      await putContent(joints, tx, row, {
        by: who.name,
        restoredFrom: null,
        verdict: verdictOf(row, warnings),
        content: {
          sha256,
          bytes,
          mime: facts.mime,
          width: facts.width ?? null,
          height: facts.height ?? null,
          orientation,
        },
      });
    });
  } finally {
    await staged.discard();
  }
}

/** Restores an earlier version as a new version, as far as guards allow now. */
export async function restoreVersion(
  { db, joints }: LibraryTools,
  id: string,
  n: number,
  { who, ifMatch }: { who: Principal; ifMatch: string | undefined },
): Promise<void> {
  const [known, earlier] = await Promise.all([findAsset(db, id), findVersion(db, id, n)]);
  const prepared =
    known === null || earlier === null
      ? NOTHING_PREPARED
      : await prepareChanges(joints, db, [versionChange(known, earlier)]);
  await inTransaction(db, async (tx) => {
    await lockFor(joints, tx, { ids: [id] });
    const row = await holdAsset(tx, id, ifMatch);
    const version = await findVersion(tx, id, n);
    if (version === null) throw notFound(`Version ${n} of ${row.name}`);
    if (version.sha256 === row.sha256) return;
    const warnings = await requireChange(joints, tx, versionChange(row, version), prepared);
    const current = await findVersion(tx, id, row.version);
    // Reverting an optimisation also stops it for later versions.
    if (current?.optimised_from === n) await updateOptimise(tx, id, null);
    await putContent(joints, tx, row, {
      content: version,
      by: who.name,
      restoredFrom: n,
      verdict: verdictOf(row, warnings),
    });
  });
}

/** What came of checking the new bytes of a file, which nothing refused. */
function verdictOf({ name }: AssetRow, objections: readonly Objection[]): Verdict {
  const reasons = objections.flatMap(({ problem, reason }) =>
    problem === 'refused' ? [reason as Reason] : [],
  );
  return { name, outcome: reasons.length > 0 ? 'warned' : 'accepted', reasons };
}

function versionChange(row: AssetRow, { sha256, bytes, mime, width, height }: VersionRow): AssetChange {
  return { kind: 'replace', row, content: { name: row.name, sha256, bytes, mime, width, height } };
}

/** @throws UniferumError `refused` for bytes of another kind */
function requireKind(row: AssetRow, mime: string): void {
  if (kindOfMime(mime) === row.kind) return;
  const message = `${row.name} is of kind ${row.kind}, but the new file is ${mime}. A new version must be of the same kind; upload it as a separate file.`;
  requireNone([
    {
      asset: String(row.id),
      name: row.name,
      reason: { code: 'type-mismatch', message, limit: row.mime, actual: mime, folder: null },
      problem: 'refused',
      isBlocking: true,
    },
  ]);
}

/** Gives a locked asset new bytes, as its next version. */
export async function putContent(
  joints: Joints,
  tx: Transaction,
  row: AssetRow,
  {
    content,
    by,
    restoredFrom,
    optimisedFrom = null,
    looksTheSame = false,
    verdict = null,
  }: {
    content: Content;
    by: string;
    restoredFrom: number | null;
    optimisedFrom?: number | null;
    /** No pixel has changed: renditions of the old bytes equal those of the new ones. */
    looksTheSame?: boolean;
    /** Null where the earlier one still holds. */
    verdict?: Verdict | null;
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
  if (verdict !== null) await updateVerdict(tx, id, verdict);
  await countHolders(tx, [row.sha256], -1);
  await countHolders(tx, [content.sha256], 1);
  const difference = { items: 0, bytes: content.bytes - row.bytes };
  await addToFolder(tx, String(row.folder_id), difference);
  await addToCounter(tx, 'kind', row.kind, difference);
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
  const { sha256, bytes, mime, width, height, orientation } = content;
  const after: AssetRow = { ...row, version: n, sha256, bytes, mime, width, height, orientation };
  for (const listener of joints.listeners)
    await listener.replaced?.(tx, { before: row, after, looksTheSame, optimisedFrom }, by);
  await recordEvent(tx, {
    event: assetReplaced,
    asset: id,
    by,
    data: { id, name: row.name, version: n, bytes: content.bytes, restoredFrom, optimisedFrom },
  });
}
