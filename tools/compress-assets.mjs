// @ts-check
// Compresses the browser build once, so that servers can send the compressed files directly.
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, constants, gzipSync } from 'node:zlib';

const COMPRESSED = /\.(?:js|css|svg|html|json)$/;
/** For smaller files, the headers cost more than compression saves. */
const MIN_BYTES = 500;

/** Writes `file.br` and `file.gz` beside each file that is newer than they are. @param {string} folder */
export function compressAssets(folder) {
  for (const name of readdirSync(folder, { recursive: true, encoding: 'utf8' })) {
    const file = join(folder, name);
    if (!COMPRESSED.test(file) || statSync(file).size < MIN_BYTES || isDone(file)) continue;
    const bytes = readFileSync(file);
    writeFileSync(`${file}.gz`, gzipSync(bytes, { level: 9 }));
    writeFileSync(
      `${file}.br`,
      brotliCompressSync(bytes, { params: { [constants.BROTLI_PARAM_SIZE_HINT]: bytes.length } }),
    );
  }
}

/** @param {string} file */
function isDone(file) {
  const { mtimeMs } = statSync(file);
  return ['.gz', '.br'].every((end) => existsSync(file + end) && statSync(file + end).mtimeMs >= mtimeMs);
}
