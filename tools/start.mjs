// @ts-check
// `npm start` and `npm run worker`: run the server or a worker, and restart it when it dies.
import { join } from 'node:path';
import { ROOT } from './prepare.mjs';
import { supervise, whenAbandoned } from './supervisor.mjs';

const PARTS = { server: 'server/dist/main.js', worker: 'server/dist/worker-main.js' };
const name = process.argv[2];
if (name !== 'server' && name !== 'worker') {
  console.error('Expected "server" or "worker".');
  process.exit(2);
}
const part = supervise(join(ROOT, PARTS[name]), { name });
for (const signal of /** @type {const} */ (['SIGINT', 'SIGTERM', 'SIGHUP']))
  process.on(signal, () => void part.stop());
whenAbandoned(() => void part.stop());
process.exit(await part.ended);
