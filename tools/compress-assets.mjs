// @ts-check
// Compresses what was built for the browser, once, so that servers send it as it is.
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, constants, gzipSync } from 'node:zlib';

const COMPRESSED = /\.(?:js|css|svg|html|json)$/;
/** Of smaller files the headers weigh more than what is saved. */
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
