import { randomUUID } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, rm, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { formatCount, type ManifestMapping, type ManifestPlan, type Verdict } from '@uniferum/core/intake';
import type { PlannedLine } from '../inspection/work.js';
import { inTransaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { inGroups } from '../shared/group.js';
import type { Principal } from '../shared/principal.js';
import { ProcessKilledError } from '../shared/process-task.js';
import { explainStoreFault } from '../stores/store-faults.js';
import { type BegunBatch, beginBatch, ENTRIES_PER_ITEM } from './batches.js';
import { findInInbox } from './inbox.js';
import type { IntakeSource } from './run-kind.js';
import { refusedVerdict } from './take-in.js';
import type { IntakeTools } from './tools.js';

export interface ManifestRequest {
  content: string;
  folder: string;
  label: string | null;
  mapping: ManifestMapping | null;
}

type Row = ManifestPlan['rows'][number];
type Fault = ManifestPlan['faults'][number];

/** The plan of a manifest import: its first rows and faults, and totals. */
export interface ManifestSummary extends Omit<ManifestPlan, 'rows' | 'faults'> {
  rows: Row[];
  faults: Fault[];
  taken: number;
  faulty: number;
}

const LOOKED_FOR_AT_A_TIME = 64;
const SHOWN = 1000;

/** Plans a manifest import. Paths refer to the inbox; a missing file is a fault. */
export function rehearseManifest(tools: IntakeTools, request: ManifestRequest): Promise<ManifestSummary> {
  return withPlan(tools, request, async (summary) => summary);
}

/** Starts importing a manifest. Rows with faults are refused and listed with them. */
export function takeManifestIn(
  tools: IntakeTools,
  who: Principal,
  request: ManifestRequest,
): Promise<BegunBatch> {
  return withPlan(tools, request, async (summary, readPlan) => {
    if (summary.taken === 0) throw nothingToTake(summary);
    return inTransaction(tools.db, (tx) =>
      beginBatch(tx, who, {
        way: 'manifest',
        folder: request.folder,
        label: request.label,
        title: `Importing ${formatCount(summary.taken, 'row')} of ${request.label ?? 'a manifest'} into ${request.folder}`,
        filesPerItem: ENTRIES_PER_ITEM,
        refused: only(readPlan(), (line) => ('fault' in line ? refusedRow(line.fault, request.label) : null)),
        files: only(readPlan(), (line) => ('row' in line ? sourceOf(line.row) : null)),
      }),
    );
  });
}

/**
 * Plans a manifest and passes the plan on as a file of lines: it may have a hundred thousand rows, of which only a
 * few are in memory at a time. It is read in a separate process because it is untrusted.
 */
async function withPlan<Result>(
  tools: IntakeTools,
  { content, folder, mapping }: ManifestRequest,
  work: (summary: ManifestSummary, readPlan: () => AsyncGenerator<PlannedLine>) => Promise<Result>,
): Promise<Result> {
  const base = join(tools.store.scratch(), randomUUID());
  const [path, plannedPath, checkedPath] = [`${base}.manifest`, `${base}.planned`, `${base}.checked`];
  try {
    await writeFile(path, content).catch((error) => {
      throw explainStoreFault(error, tools.store.name, { isOwn: true });
    });
    const plan = await tools.inspector
      .planManifest(path, { folder, mapping, outPath: plannedPath })
      .catch(explain);
    const found = await checkPaths(tools, plan.mapping, plannedPath, checkedPath);
    return await work({ ...plan, ...found }, () => readLines(checkedPath));
  } finally {
    await Promise.all([path, plannedPath, checkedPath].map((file) => rm(file, { force: true })));
  }
}

function explain(error: unknown): never {
  if (!(error instanceof ProcessKilledError)) throw error;
  throw new UniferumError(
    'refused',
    `The manifest can't be read: ${error.message}. Split it into several files.`,
  );
}

/** Looks up the plan's paths in the inbox, and rewrites the plan with a fault for each missing file. */
async function checkPaths(
  { config, store }: IntakeTools,
  mapping: ManifestMapping,
  plannedPath: string,
  checkedPath: string,
): Promise<Pick<ManifestSummary, 'rows' | 'faults' | 'taken' | 'faulty'>> {
  const found = { rows: [] as Row[], faults: [] as Fault[], taken: 0, faulty: 0 };
  const check = async (line: PlannedLine): Promise<PlannedLine> => {
    if ('fault' in line || line.row.source.kind === 'address') return line;
    const { row, source } = line.row;
    if (await isInInbox(config, source.value)) return line;
    const message = `there is no ${source.value.slice(0, 500)} in the inbox`;
    return { fault: { row, column: mapping.source ?? null, message } };
  };
  const count = (line: PlannedLine) => {
    if ('row' in line) {
      found.taken += 1;
      if (found.rows.length < SHOWN) found.rows.push(line.row);
    } else {
      found.faulty += 1;
      if (found.faults.length < SHOWN) found.faults.push(line.fault);
    }
  };
  const file = await open(checkedPath, 'wx');
  try {
    for await (const some of inGroups(readLines(plannedPath), LOOKED_FOR_AT_A_TIME)) {
      const checked = await Promise.all(some.map(check));
      for (const line of checked) count(line);
      await file.appendFile(`${checked.map((line) => JSON.stringify(line)).join('\n')}\n`);
    }
  } catch (error) {
    throw explainStoreFault(error, store.name, { isOwn: true });
  } finally {
    await file.close();
  }
  return found;
}

async function* readLines(path: string): AsyncGenerator<PlannedLine> {
  for await (const line of createInterface({
    input: createReadStream(path),
    crlfDelay: Number.POSITIVE_INFINITY,
  }))
    if (line !== '') yield JSON.parse(line);
}

/** Maps lines with `choose`, dropping those for which it returns nothing. */
async function* only<Chosen>(
  lines: AsyncIterable<PlannedLine>,
  choose: (line: PlannedLine) => Chosen | null,
): AsyncGenerator<Chosen> {
  for await (const line of lines) {
    const chosen = choose(line);
    if (chosen !== null) yield chosen;
  }
}

async function isInInbox(config: IntakeTools['config'], path: string): Promise<boolean> {
  return findInInbox(config, path)
    .then(stat)
    .then(
      (info) => info.isFile(),
      () => false,
    );
}

function sourceOf({ source, folder, name, texts, capturedAt }: Row): IntakeSource {
  return {
    name: name ?? (source.kind === 'path' ? (source.value.split('/').at(-1) ?? source.value) : null),
    folder,
    texts,
    capturedAt,
    from:
      source.kind === 'path'
        ? { kind: 'inbox', path: source.value, mode: 'copy' }
        : { kind: 'address', address: source.value },
  };
}

function nothingToTake({ faults }: ManifestSummary): UniferumError {
  return new UniferumError(
    'refused',
    `The manifest has no rows that can be imported: ${faults[0]?.message ?? 'it has no rows'}.`,
    {
      errors: faults.slice(0, 100).map(({ row, message }) => ({
        field: row === null ? 'content' : `row ${row}`,
        code: 'manifest-row',
        message,
      })),
    },
  );
}

function refusedRow({ row, message }: Fault, label: string | null): Verdict {
  const name = row === null ? (label ?? 'the manifest') : `row ${row}`;
  return refusedVerdict(name, {
    code: 'incomplete',
    message: `${row === null ? 'The manifest' : `Row ${row}`} is skipped: ${message}.`,
  });
}
