import type { TestStep } from '@uniferum/core/shared';
import { UniferumError } from '../shared/errors.js';
import { SourceFault } from './opened-source.js';
import { type DatabaseConfig, SiteDatabase } from './site-database.js';
import type { PageSource } from './source.js';
import { findTable, readColumns, requireKey, tryReading, tryWriting } from './table-queries.js';

/** What a step says when it succeeds; it throws when it doesn't. */
type Step = (database: SiteDatabase) => Promise<string>;

const STEPS: readonly (readonly [name: string, step: Step])[] = [
  ['table', testTable],
  ['key', testKey],
  ['columns', testColumns],
  ['readable', testReading],
];
const WRITABLE = ['writable', testWriting] as const;

/** Types of columns that can hold a document. */
const DOCUMENT_TYPES =
  /^(?:char|varchar|tinytext|text|mediumtext|longtext|json|tinyblob|blob|mediumblob|longblob|varbinary)$/;

/** Tests a table step by step, up to the first that fails. Nothing is changed. */
export async function testDatabase(
  config: DatabaseConfig,
  source: PageSource<'database'>,
): Promise<TestStep[]> {
  const { host, user, writable } = source.settings;
  const database = await SiteDatabase.open(config, source).catch((error: Error) => error);
  if (database instanceof Error) return [toStep(nameOfFailure(database), database)];
  const steps = [{ name: 'connected', ok: true, message: `${user} is signed in to ${host}.` }];
  try {
    for (const [name, step] of writable ? [...STEPS, WRITABLE] : STEPS) {
      const result = await step(database).catch((error: Error) => error);
      steps.push(toStep(name, result));
      if (result instanceof Error) break;
    }
  } finally {
    await database.close();
  }
  return steps;
}

function toStep(name: string, result: string | Error): TestStep {
  if (typeof result === 'string') return { name, ok: true, message: result };
  if (result instanceof SourceFault || result instanceof UniferumError)
    return { name, ok: false, message: result.message };
  throw result;
}

/** A host that may not be connected to, one that doesn't answer, or a sign-in that is refused. */
function nameOfFailure(error: Error): string {
  if (error instanceof UniferumError) return 'reached';
  return /private network/.test(error.message) ? 'allowed' : 'connected';
}

async function testTable(database: SiteDatabase): Promise<string> {
  const { table, database: name, user } = database.settings;
  const found = await findTable(database);
  if (found === null)
    throw new SourceFault(
      `There is no table ${table} in ${name} that ${user} may see. Check its name and the user's rights.`,
    );
  return found.type === 'VIEW' ? `${table} is a view.` : `${table} has about ${found.items ?? 0} rows.`;
}

async function testKey(database: SiteDatabase): Promise<string> {
  await requireKey(database);
  return `${database.settings.key} is unique.`;
}

async function testColumns(database: SiteDatabase): Promise<string> {
  const { columns, titleColumn, table } = database.settings;
  const known = new Map((await readColumns(database)).map((column) => [column.name, column]));
  const named = [...columns.map(({ name }) => name), ...(titleColumn === null ? [] : [titleColumn])];
  const missing = named.filter((name) => !known.has(name));
  if (missing.length > 0)
    throw new SourceFault(
      `There is no column ${missing.join(', ')} in ${table}. Its columns are ${[...known.keys()].join(', ')}.`,
    );
  const others = columns
    .flatMap(({ name }) => known.get(name) ?? [])
    .filter(({ type }) => !DOCUMENT_TYPES.test(type));
  if (others.length > 0)
    throw new SourceFault(
      `${others.map(({ name, type }) => `${name} is of type ${type}`).join(', ')}. Choose columns of text.`,
    );
  return columns.length === 1 ? 'The column contains text.' : `All ${columns.length} columns contain text.`;
}

async function testReading(database: SiteDatabase): Promise<string> {
  await tryReading(database);
  return `${database.settings.user} may read it.`;
}

async function testWriting(database: SiteDatabase): Promise<string> {
  await tryWriting(database);
  return `${database.settings.user} may change it.`;
}
