import { randomUUID } from 'node:crypto';
import { open, readFile, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { applyEdits } from '@uniferum/core/pages';
import { hasDigest } from '../inspection/content-digest.js';
import { UniferumError } from '../shared/errors.js';
import { syncFolder } from '../stores/staging.js';
import { findDocument, stampOf } from './document-file.js';
import type { DocumentChange, WriteOutcome } from './opened-source.js';

/**
 * Applies edits to a document whose digest is `before`; one whose digest is `after` has them already. Written beside it,
 * made durable and renamed, so that a reader sees the old document or the new one.
 */
export async function writeDocument(
  root: string,
  change: DocumentChange,
  attemptsLeft = 3,
): Promise<WriteOutcome> {
  const { path, edits, before, after } = change;
  const full = await findDocument(root, path);
  if (full === null) return { kind: 'gone' };
  const stamp = await stampOf(full);
  const data = await readFile(full);
  if (hasDigest(data, after)) return { kind: 'written' };
  if (!hasDigest(data, before)) return { kind: 'changed' };
  const next = Buffer.from(applyEdits(data.toString('latin1'), edits), 'latin1');
  const beside = join(dirname(full), `.${basename(full)}.${randomUUID()}`);
  try {
    const { mode } = await stat(full);
    const file = await open(beside, 'wx', mode & 0o777);
    try {
      await file.writeFile(next);
      await file.chmod(mode & 0o777);
      await file.sync();
    } finally {
      await file.close();
    }
    // Somebody may have saved it since it was read.
    if ((await stampOf(full)) !== stamp) {
      await rm(beside, { force: true });
      // Or another worker has made the same change, after a pause in which this one's lease expired.
      return attemptsLeft > 1 ? await writeDocument(root, change, attemptsLeft - 1) : { kind: 'changed' };
    }
    await rename(beside, full);
    await syncFolder(dirname(full));
    return { kind: 'written' };
  } catch (error) {
    await rm(beside, { force: true }).catch(() => {});
    const { code = '' } = error as NodeJS.ErrnoException;
    if (/^(?:EACCES|EPERM|EROFS)$/.test(code))
      return {
        kind: 'failed',
        message: `${path} can't be written (${code}). Give the workers the right to write there.`,
      };
    if (/^(?:ENOSPC|EDQUOT|EFBIG)$/.test(code))
      throw new UniferumError(
        'storage-full',
        `The disk of ${root} is full. Nothing was lost; free space to continue.`,
        { retryAfterSeconds: 30, cause: error },
      );
    throw error;
  }
}
