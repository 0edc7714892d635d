import { codeOf } from '../shared/database-errors.js';
import { UniferumError } from '../shared/errors.js';

const FULL = new Set(['ENOSPC', 'EDQUOT', 'EFBIG']);
/** Error codes of a disk that fails, was removed, or is not writable. */
const AWAY = new Set([
  'EIO',
  'EROFS',
  'EMFILE',
  'ENFILE',
  'ENOMEM',
  'ESTALE',
  'ENOTCONN',
  'EHOSTDOWN',
  'ENXIO',
  'ENODEV',
]);

/**
 * Converts a file system error caused by the store into ours; returns any other unchanged.
 *
 * @param isOwn the file belongs to the store: failing to open it is the store's fault too
 */
export function explainStoreFault(error: unknown, store: string, { isOwn = false } = {}): unknown {
  if (!(error instanceof Error) || error instanceof UniferumError) return error;
  const code = codeOf(error);
  if (FULL.has(code))
    return new UniferumError(
      'storage-full',
      `The store "${store}" is full. Nothing was lost; free space to continue.`,
      { retryAfterSeconds: 30, cause: error },
    );
  if (AWAY.has(code) || (isOwn && /^(?:ENOENT|EACCES|EPERM|ENOTDIR)$/.test(code)))
    return new UniferumError(
      'store-away',
      `The store "${store}" can't be used right now (${code}). Nothing was lost. Check that its disk is mounted and writable.`,
      { retryAfterSeconds: 10, cause: error },
    );
  return error;
}
