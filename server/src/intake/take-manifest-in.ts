import { stat } from 'node:fs/promises';
import {
  type ManifestMapping,
  type ManifestPlan,
  type ManifestTable,
  planManifest,
  proposeMapping,
  readManifest,
  type Verdict,
} from '@uniferum/core';
import type { Principal } from '../access/principal.js';
import type { App } from '../app.js';
import { inTransaction } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { type BegunBatch, beginBatch, ENTRIES_PER_ITEM } from './batches.js';
import { findInInbox } from './inbox.js';
import { refusedVerdict } from './take-in.js';

export interface ManifestRequest {
  content: string;
  folder: string;
  label: string | null;
  mapping: ManifestMapping | null;
}

export interface RehearsedManifest {
  table: ManifestTable;
  mapping: ManifestMapping;
  plan: ManifestPlan;
}

/** Works out what a manifest would take in. Paths are paths in the inbox; what isn't there is a fault. */
export async function rehearseManifest(
  { config }: Pick<App, 'config'>,
  { content, folder, mapping }: ManifestRequest,
): Promise<RehearsedManifest> {
  const table = readManifest(content);
  const used = mapping ?? proposeMapping(table.columns);
  const plan = planManifest(table, used, folder);
  const there = await Promise.all(
    plan.rows.map(async ({ source }) => source.kind === 'address' || (await isInInbox(config, source.value))),
  );
  const missing = plan.rows.filter((_, index) => !there[index]);
  return {
    table,
    mapping: used,
    plan: {
      rows: plan.rows.filter((_, index) => there[index]),
      faults: [
        ...plan.faults,
        ...missing.map(({ row, source }) => ({
          row,
          column: used.source ?? null,
          message: `there is no ${source.value} in the inbox`,
        })),
      ].sort((a, b) => (a.row ?? 0) - (b.row ?? 0)),
    },
  };
}

async function isInInbox(config: App['config'], path: string): Promise<boolean> {
  return findInInbox(config, path)
    .then(stat)
    .then(
      (info) => info.isFile(),
      () => false,
    );
}

/** Begins to take in what a manifest lists. Rows with a fault are refused, each with what is wrong with it. */
export async function takeManifestIn(
  app: App,
  who: Principal,
  request: ManifestRequest,
): Promise<BegunBatch> {
  const { plan } = await rehearseManifest(app, request);
  if (plan.rows.length === 0)
    throw new UniferumError(
      'refused',
      `The manifest lists nothing that can be taken in: ${plan.faults[0]?.message ?? 'it has no rows'}.`,
      {
        errors: plan.faults.slice(0, 100).map(({ row, message }) => ({
          field: row === null ? 'content' : `row ${row}`,
          code: 'manifest-row',
          message,
        })),
      },
    );
  return inTransaction(app.db, (tx) =>
    beginBatch(tx, who, {
      way: 'manifest',
      folder: request.folder,
      label: request.label,
      title: `Taking in ${plan.rows.length.toLocaleString('en-GB')} rows of ${request.label ?? 'a manifest'}`,
      filesPerItem: ENTRIES_PER_ITEM,
      refused: plan.faults.map((fault) => refusedRow(fault, request.label)),
      files: plan.rows.map(({ source, folder, name, texts, capturedAt }) => ({
        name: name ?? (source.kind === 'path' ? (source.value.split('/').at(-1) ?? source.value) : null),
        folder,
        texts,
        capturedAt,
        from:
          source.kind === 'path'
            ? { kind: 'inbox', path: source.value, mode: 'copy' }
            : { kind: 'address', address: source.value },
      })),
    }),
  );
}

function refusedRow({ row, message }: ManifestPlan['faults'][number], label: string | null): Verdict {
  const name = row === null ? (label ?? 'the manifest') : `row ${row}`;
  return refusedVerdict(name, {
    code: 'incomplete',
    message: `${row === null ? 'The manifest' : `Row ${row}`} is left out: ${message}.`,
  });
}
