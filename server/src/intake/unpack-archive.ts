import { archiveFolder, planArchive, type Reason } from '@uniferum/core/intake';
import { recordBlobs } from '../library/blobs.js';
import type { StagedBytes } from '../shared/byte-store.js';
import { inTransaction, type Transaction } from '../shared/database.js';
import { isEnvironmentFault } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { type OpenArchive, openArchive } from './archive-reader.js';
import { type BegunBatch, beginBatch, ENTRIES_PER_ITEM, openIntake, refusal } from './batches.js';
import { updateIntakeArchive } from './queries.js';
import { refuseFile } from './take-in.js';
import type { IntakeTools } from './tools.js';

/**
 * Unpacks an uploaded archive into a folder named after it: its directory is checked at once, its files are imported
 * by a run. An unsafe archive is refused as a whole, and the entry is named.
 *
 * @param alsoRecord runs in the transaction that starts the run
 */
export async function unpackArchive(
  tools: IntakeTools,
  who: Principal,
  {
    name,
    staged,
    folder,
    ownFolder,
  }: { name: string; staged: StagedBytes; folder: string; ownFolder: boolean },
  alsoRecord?: (tx: Transaction, batch: BegunBatch) => Promise<void>,
): Promise<BegunBatch> {
  const target = ownFolder ? archiveFolder(folder, name) : folder;
  try {
    const { entries, ignored } = await judgeArchive(tools, who, { name, staged, target });
    await staged.keep();
    return await inTransaction(tools.db, async (tx) => {
      const { sha256, bytes, crc32, copy } = staged;
      // Referenced in the database so that it is kept while it is unpacked; without an asset it is cleaned up
      // afterwards.
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      const batch = await beginBatch(tx, who, {
        way: 'archive',
        folder: target,
        label: name,
        title: `Unpacking ${name} into ${target}${ignored > 0 ? `, without ${ignored} system files` : ''}`,
        filesPerItem: ENTRIES_PER_ITEM,
        files: entries.map((entry) => ({
          name: entry.name,
          folder: entry.folder,
          texts: {},
          capturedAt: null,
          from: { kind: 'archive', sha256, entry: entry.index },
        })),
      });
      await updateIntakeArchive(tx, batch.intake, sha256);
      await alsoRecord?.(tx, batch);
      return batch;
    });
  } finally {
    await staged.discard();
  }
}

async function judgeArchive(
  tools: IntakeTools,
  who: Principal,
  { name, staged, target }: { name: string; staged: StagedBytes; target: string },
) {
  const refuse = async (code: Reason['code'], message: string): Promise<never> => {
    const intake = await openIntake(tools, who, { way: 'archive', folder: target, label: name });
    const verdict = await refuseFile(tools, intake, name, { code, message });
    throw refusal(verdict);
  };
  if (staged.path === null)
    return refuse('too-large', `${name} exceeds the size limit of this installation. Split it into parts.`);
  let archive: OpenArchive;
  try {
    archive = await openArchive(staged.path, tools.config.archive.maxEntries);
  } catch (error) {
    if (isEnvironmentFault(error)) throw error;
    const why = error instanceof Error ? error.message : String(error);
    return refuse(
      'unreadable',
      `${name} can't be read as a ZIP archive: ${why}. Create it again and upload it.`,
    );
  }
  try {
    const plan = planArchive(archive.entries, target, tools.config.archive, archive.statedEntries);
    if (plan.ok) return plan;
    const entry = plan.entry === null ? '' : `${plan.entry.slice(0, 200)}: `;
    return await refuse('archive-unsafe', `${name} was not unpacked. ${entry}${plan.message}`);
  } finally {
    archive.close();
  }
}
