// @ts-check
// The baseline for intake: only writes a body to a file and hashes it.
import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { createServer } from 'node:http';
import { join } from 'node:path';

const [folder = '.', many] = process.argv.slice(2);
let count = 0;

const server = createServer((req, res) => {
  const hash = createHash('sha256');
  const file = createWriteStream(join(folder, many ? `bare-${count++}.out` : 'bare.out'));
  req.on('data', (chunk) => hash.update(chunk));
  req.pipe(file);
  file.on('finish', () => res.end(hash.digest('hex')));
});
server.listen(0, '127.0.0.1', () =>
  process.send?.(/** @type {import('node:net').AddressInfo} */ (server.address()).port),
);
