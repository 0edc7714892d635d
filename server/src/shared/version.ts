import { readFileSync } from 'node:fs';

/** The version of this server, from its package. */
export const VERSION: string = JSON.parse(
  readFileSync(new URL('../../package.json', import.meta.url), 'utf8'),
).version;
