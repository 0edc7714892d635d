import { createInterface } from 'node:readline/promises';
import { parseArgs } from 'node:util';
import { ALL_RIGHTS, type Right } from '@uniferum/core/access';
import Joi from 'joi';
import { pino } from 'pino';
import { findUserByEmail } from './access/queries.js';
import { makeKey, makeUser } from './access/service.js';
import { originSchema } from './access/token-fields.js';
import { ALL_COUNTS, findBroken } from './house/invariants.js';
import { verifyCounts } from './library/verify-counts.js';
import { checkSecret } from './rules/custom-check.js';
import { readConfig } from './shared/config.js';
import { migrate } from './shared/migrate.js';
import { openDatabase, type PooledDatabase } from './shared/pooled-database.js';
import { createHomeStore } from './stores/home-store.js';

// For the operator, on the server's own machine, before any key or user exists.
const HELP = `Usage: node server/dist/admin.js COMMAND [options]

  user --email keeper@skerry.example [--name "Edda"] [--rights …]
      Creates a user, with the password in UNIFERUM_PASSWORD. One that exists gets the new password
      and rights; this is asked first, or confirmed with --yes.
  key [--name "Nightly import"] [--rights library:read,library:write] [--origins https://skerry.example]
      Creates an API key, and prints its secret once. Origins are those of web pages that may use it.
  verify-counts
      Compares all stored counters with the data, and corrects them.
  check [--hash]
      Reports violated invariants, and changes nothing; --hash reads all bytes.
  check-secret --url https://…
      Prints the secret with which a custom check verifies requests.

Without --rights, a user or a key has all: ${ALL_RIGHTS.join(', ')}.
The database and the data are those of the environment; see docs/CONFIGURATION.md.`;

/** A mistake of whoever calls, which is explained in one line. */
class UsageError extends Error {}

const say = (line: string) => process.stdout.write(`${line}\n`);

function readOptions(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        email: { type: 'string' },
        name: { type: 'string' },
        rights: { type: 'string' },
        origins: { type: 'string' },
        url: { type: 'string' },
        hash: { type: 'boolean', default: false },
        yes: { type: 'boolean', default: false },
        help: { type: 'boolean', default: false, short: 'h' },
      },
    });
  } catch (error) {
    throw new UsageError((error as Error).message.split('. ')[0]);
  }
}

type Options = ReturnType<typeof readOptions>['values'];
interface Context {
  db: PooledDatabase;
  options: Options;
  config: ReturnType<typeof readConfig>;
}

/** @throws UsageError that names every right that isn't one */
function rightsOf({ rights }: Options): readonly Right[] {
  if (rights === undefined) return ALL_RIGHTS;
  const wanted = rights.split(',').map((one) => one.trim());
  const unknown = wanted.filter((one) => !ALL_RIGHTS.includes(one as Right));
  if (unknown.length > 0)
    throw new UsageError(
      `There is no right ${unknown.map((one) => `"${one}"`).join(', ')}. Rights are ${ALL_RIGHTS.join(', ')}.`,
    );
  return wanted as Right[];
}

/** @param what with its article @throws UsageError */
function checked(schema: Joi.Schema, value: unknown, what: string, flag: string): string {
  const { error, value: good } = schema.required().validate(value);
  if (error)
    throw new UsageError(
      `${value === undefined ? '' : `"${value}" isn't ${what}. `}Pass ${what} with ${flag}.`,
    );
  return good;
}

const emailSchema = Joi.string().trim().max(190).email({ tlds: false });
const MIN_PASSWORD = 12;

async function putUser({ db, options }: Context): Promise<void> {
  const email = checked(emailSchema, options.email, 'an email address', '--email');
  const password = process.env.UNIFERUM_PASSWORD ?? '';
  if (password.length < MIN_PASSWORD)
    throw new UsageError(`Set a password of at least ${MIN_PASSWORD} characters in UNIFERUM_PASSWORD.`);
  const rights = rightsOf(options);
  const known = await findUserByEmail(db, email);
  if (known && !options.yes && !(await confirm(`${email} exists. Replace the password and the rights?`)))
    throw new UsageError(
      `${email} exists. Nothing was changed. Pass --yes to replace the password and the rights.`,
    );
  await makeUser(db, { email, name: options.name ?? known?.name ?? email, password, rights });
  say(`${known ? 'Changed' : 'Created'} ${email}.`);
}

/** Without a terminal nobody can be asked. */
async function confirm(question: string): Promise<boolean> {
  if (!process.stdin.isTTY) return false;
  const lines = createInterface({ input: process.stdin, output: process.stderr });
  try {
    return /^y(?:es)?$/i.test((await lines.question(`${question} [y/N] `)).trim());
  } finally {
    lines.close();
  }
}

async function addKey({ db, options }: Context): Promise<void> {
  const origins = (options.origins ?? '')
    .split(',')
    .filter((one) => one.trim() !== '')
    .map((one) => checked(originSchema, one.trim(), 'an origin like https://skerry.example', '--origins'));
  say((await makeKey(db, { name: options.name ?? 'Unnamed', rights: rightsOf(options), origins })).secret);
}

async function correctCounts({ db }: Context): Promise<void> {
  const corrected = await verifyCounts(db, pino({ level: 'silent' }), ALL_COUNTS, { slow: true });
  for (const [name, drifts] of Object.entries(corrected))
    for (const { what, items, bytes } of drifts)
      say(`${name}: ${what} was changed by ${items} items, ${bytes} bytes`);
  if (Object.keys(corrected).length === 0) say('All counts are correct.');
}

async function checkAll({ db, config, options }: Context): Promise<void> {
  const findings = await findBroken(db, createHomeStore(config), { hash: options.hash });
  for (const { what, times, examples } of findings)
    say(`${times} ${what}: ${examples.join(', ')}${times > examples.length ? ', …' : ''}`);
  if (findings.length === 0) say('No problems found.');
  else process.exitCode = 1;
}

const COMMANDS: Record<string, (context: Context) => Promise<void>> = {
  user: putUser,
  key: addKey,
  'verify-counts': correctCounts,
  check: checkAll,
  async 'check-secret'({ config, options }) {
    const url = Joi.string().uri({ scheme: ['http', 'https'] });
    say(checkSecret(config, checked(url, options.url, 'the http(s) address of the check', '--url')));
  },
};

async function main(args: string[]): Promise<void> {
  const { values: options, positionals } = readOptions(args);
  const [name, ...rest] = positionals;
  if (options.help || name === 'help') {
    say(HELP);
    return;
  }
  const command = name !== undefined && Object.hasOwn(COMMANDS, name) ? COMMANDS[name] : undefined;
  if (!command || rest.length > 0)
    throw new UsageError(`Expected one of the commands ${Object.keys(COMMANDS).join(', ')}. See --help.`);
  // What can be checked without the database is.
  rightsOf(options);
  const config = readConfig(process.env);
  await migrate(config.database);
  const db = openDatabase(config.database);
  try {
    await command({ db, options, config });
  } finally {
    await db.end();
  }
}

try {
  await main(process.argv.slice(2));
} catch (error) {
  if (!(error instanceof UsageError)) throw error;
  process.stderr.write(`${error.message}\n`);
  process.exitCode = 2;
}
