import { parseArgs } from 'node:util';
import { ALL_RIGHTS } from '@uniferum/core/access';
import { pino } from 'pino';
import { makeKey, makeUser } from './access/service.js';
import { ALL_COUNTS, findBroken } from './house/invariants.js';
import { verifyCounts } from './library/verify-counts.js';
import { checkSecret } from './rules/custom-check.js';
import { readConfig } from './shared/config.js';
import { migrate } from './shared/migrate.js';
import { openDatabase } from './shared/pooled-database.js';
import { createHomeStore } from './stores/home-store.js';

// For the operator, on the server's own machine, before any key or user exists:
//   node server/dist/admin.js user --email keeper@skerry.example --name "Edda"   (the password in UNIFERUM_PASSWORD)
//   node server/dist/admin.js key --name "Nightly import" [--rights library:read,library:write]   (prints the secret)
//   node server/dist/admin.js verify-counts   (compares all stored counters with the data, and corrects them)
//   node server/dist/admin.js check [--hash]   (reports violated invariants and changes nothing; --hash reads all bytes)
//   node server/dist/admin.js check-secret --url https://…   (prints the secret with which a custom check verifies requests)
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    email: { type: 'string' },
    name: { type: 'string' },
    rights: { type: 'string' },
    url: { type: 'string' },
    hash: { type: 'boolean', default: false },
  },
});
const config = readConfig(process.env);
await migrate(config.database);
const db = openDatabase(config.database);

const say = (line: string) => process.stdout.write(`${line}\n`);
const rights =
  values.rights === undefined
    ? ALL_RIGHTS
    : ALL_RIGHTS.filter((right) => values.rights?.split(',').includes(right));

const COMMANDS: Record<string, () => Promise<void>> = {
  async user() {
    const password = process.env.UNIFERUM_PASSWORD;
    if (!values.email || !password) throw new Error('Set --email, and the password in UNIFERUM_PASSWORD.');
    await makeUser(db, { email: values.email, name: values.name ?? values.email, password, rights });
  },
  async key() {
    say((await makeKey(db, { name: values.name ?? 'Unnamed', rights })).secret);
  },
  async 'verify-counts'() {
    const corrected = await verifyCounts(db, pino({ level: 'silent' }), ALL_COUNTS, { slow: true });
    for (const [name, drifts] of Object.entries(corrected))
      for (const { what, items, bytes } of drifts)
        say(`${name}: ${what} was changed by ${items} items, ${bytes} bytes`);
    if (Object.keys(corrected).length === 0) say('All counts are correct.');
  },
  async check() {
    const findings = await findBroken(db, createHomeStore(config), { hash: values.hash });
    for (const { what, times, examples } of findings)
      say(`${times} ${what}: ${examples.join(', ')}${times > examples.length ? ', …' : ''}`);
    if (findings.length === 0) say('No problems found.');
    else process.exitCode = 1;
  },
  async 'check-secret'() {
    if (!values.url) throw new Error('Set the URL of the check with --url.');
    say(checkSecret(config, values.url));
  },
};

try {
  const [name = ''] = positionals;
  const command = Object.hasOwn(COMMANDS, name) ? COMMANDS[name] : undefined;
  if (!command) throw new Error(`Expected one of the commands ${Object.keys(COMMANDS).join(', ')}.`);
  await command();
} finally {
  await db.end();
}
