import { archiveFolder, planArchive, type Reason } from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { recordBlobs } from '../library/blobs.js';
import { inTransaction } from '../shared/database.js';
import type { StagedBytes } from '../stores/byte-store.js';
import { type OpenArchive, openArchive } from './archive-reader.js';
import { type BegunBatch, beginBatch, ENTRIES_PER_ITEM, openIntake, refusal } from './batches.js';
import { updateIntakeArchive } from './queries.js';
import { refuseFile } from './take-in.js';

/**
 * Unpacks an archive that has arrived, into a folder of its own name: its directory is judged at once, its files come as
 * a run. An unsafe archive is refused whole, with the name of the entry.
 */
export async function unpackArchive(
  app: App,
  who: Principal,
  {
    name,
    staged,
    folder,
    ownFolder,
  }: { name: string; staged: StagedBytes; folder: string; ownFolder: boolean },
): Promise<BegunBatch> {
  const target = ownFolder ? archiveFolder(folder, name) : folder;
  try {
    const { entries, ignored } = await judgeArchive(app, who, { name, staged, target });
    await staged.keep();
    return await inTransaction(app.db, async (tx) => {
      const { sha256, bytes, crc32, copy } = staged;
      // Named in the database so that it is kept while it is unpacked; without an asset it is swept afterwards.
      await recordBlobs(tx, [{ sha256, bytes, crc32, ...copy }]);
      const batch = await beginBatch(tx, who, {
        way: 'archive',
        folder: target,
        label: name,
        title: `Unpacking ${name}${ignored > 0 ? `, without ${ignored} system files` : ''}`,
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
      return batch;
    });
  } finally {
    await staged.discard();
  }
}

async function judgeArchive(
  app: App,
  who: Principal,
  { name, staged, target }: { name: string; staged: StagedBytes; target: string },
) {
  const refuse = async (code: Reason['code'], message: string): Promise<never> => {
    const intake = await openIntake(app, who, { way: 'archive', folder: target, label: name });
    const verdict = await refuseFile(app, intake, name, { code, message });
    throw refusal(verdict);
  };
  if (staged.path === null)
    return refuse('too-large', `${name} is larger than this installation takes. Send it in parts.`);
  let archive: OpenArchive;
  try {
    archive = await openArchive(staged.path, app.config.archive.maxEntries);
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return refuse('unreadable', `${name} can't be read as a zip archive: ${why}. Pack it again and send it.`);
  }
  try {
    const plan = planArchive(archive.entries, target, app.config.archive);
    if (plan.ok) return plan;
    const entry = plan.entry === null ? '' : `${plan.entry}: `;
    return await refuse('archive-unsafe', `${name} is not unpacked. ${entry}${plan.message}`);
  } finally {
    archive.close();
  }
}
