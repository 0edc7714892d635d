import type { Intake, IntakeFile, IntakeWay, Outcome, Verdict } from '@uniferum/core/intake';
import type { BlobHolder } from '../library/blob-holder.js';
import {
  change,
  changeExpanded,
  type Executor,
  isoTime,
  type SqlValue,
  select,
  selectOne,
  type Transaction,
  writeJson,
} from '../shared/database.js';

interface IntakeRow {
  id: number;
  folder_path: string;
  made_by: string;
  via: 'console' | 'api';
  way: IntakeWay;
  label: string | null;
  run_id: number | null;
  accepted: number;
  warned: number;
  refused: number;
  bytes: number;
  started_at: Date;
  updated_at: Date;
}

interface IntakeFileRow {
  id: number;
  asset_id: number | null;
  bytes: number;
  verdict: string;
  at: Date;
  asset_name: string | null;
  folder_path: string | null;
}

const COLUMNS =
  'id, folder_path, made_by, via, way, label, run_id, accepted, warned, refused, bytes, started_at, updated_at';

export async function insertIntake(
  db: Executor,
  intake: {
    folder: string;
    by: string;
    principal: string;
    via: 'console' | 'api';
    way?: IntakeWay;
    label?: string | null;
  },
): Promise<string> {
  const { insertId } = await change(
    db,
    'INSERT INTO intakes (folder_path, made_by, principal, via, way, label) VALUES (?, ?, ?, ?, ?, ?)',
    [
      intake.folder,
      intake.by,
      intake.principal,
      intake.via,
      intake.way ?? 'upload',
      intake.label?.slice(0, 500) ?? null,
    ],
  );
  return String(insertId);
}

export async function findIntake(db: Executor, id: string): Promise<Intake | null> {
  const row = await selectOne<IntakeRow>(db, `SELECT ${COLUMNS} FROM intakes WHERE id = ?`, [id]);
  return row && rowToIntake(row);
}

/** Records which run processes an intake. */
export async function updateIntakeRun(tx: Executor, id: string, runId: string): Promise<void> {
  await change(tx, 'UPDATE intakes SET run_id = ? WHERE id = ?', [runId, id]);
}

/** Records which archive an intake unpacks, so that its bytes are kept meanwhile. */
export async function updateIntakeArchive(tx: Executor, id: string, sha256: string): Promise<void> {
  await change(tx, 'UPDATE intakes SET archive = ? WHERE id = ?', [sha256, id]);
}

/** Tells whether an intake exists and was created by this principal. */
export async function ownsIntake(db: Executor, id: string, principal: string): Promise<boolean> {
  return (
    (await selectOne(db, 'SELECT id FROM intakes WHERE id = ? AND principal = ?', [id, principal])) !== null
  );
}

/** Reads one page of intakes, newest first, with one more than `limit`. */
export async function listIntakes(
  db: Executor,
  { limit, before }: { limit: number; before: number | null },
): Promise<Intake[]> {
  const values: SqlValue[] = before === null ? [limit + 1] : [before, limit + 1];
  const rows = await select<IntakeRow>(
    db,
    `SELECT ${COLUMNS} FROM intakes ${before === null ? '' : 'WHERE id < ?'} ORDER BY id DESC LIMIT ?`,
    values,
  );
  return rows.map(rowToIntake);
}

export async function countIntakes(db: Executor): Promise<number> {
  return (await selectOne<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM intakes'))?.n ?? 0;
}

/** Records the results of files in their intake. */
export async function insertIntakeFiles(
  tx: Transaction,
  intakeId: string,
  files: readonly { assetId: string | null; bytes: number; verdict: Verdict }[],
): Promise<void> {
  if (files.length === 0) return;
  await changeExpanded(tx, 'INSERT INTO intake_files (intake_id, asset_id, bytes, verdict) VALUES ?', [
    files.map(({ assetId, bytes, verdict }) => [intakeId, assetId, bytes, writeJson(verdict)]),
  ]);
  const count = (outcome: Outcome) => files.filter(({ verdict }) => verdict.outcome === outcome).length;
  const kept = files.reduce((sum, { assetId, bytes }) => sum + (assetId === null ? 0 : bytes), 0);
  await change(
    tx,
    `UPDATE intakes
     SET accepted = accepted + ?, warned = warned + ?, refused = refused + ?, bytes = bytes + ?, updated_at = NOW(3)
     WHERE id = ?`,
    [count('accepted'), count('warned'), count('refused'), kept, intakeId],
  );
}

/** A file of an intake, with the current location of its asset. */
export type StoredIntakeFile = Omit<IntakeFile, 'asset'> & {
  asset: { id: string; name: string; folder: string } | null;
};

/** Reads one page of an intake's files in order of arrival, with one more than `limit`. */
export async function listIntakeFiles(
  db: Executor,
  intakeId: string,
  { limit, after }: { limit: number; after: number },
): Promise<StoredIntakeFile[]> {
  const rows = await select<IntakeFileRow>(
    db,
    `SELECT intake_files.id, intake_files.asset_id, intake_files.bytes, intake_files.verdict, intake_files.at,
            assets.name AS asset_name, folders.path AS folder_path
     FROM intake_files
     LEFT JOIN assets ON assets.id = intake_files.asset_id AND assets.live = 1
     LEFT JOIN folders ON folders.id = assets.folder_id
     WHERE intake_files.intake_id = ? AND intake_files.id > ?
     ORDER BY intake_files.id
     LIMIT ?`,
    [intakeId, after, limit + 1],
  );
  return rows.map((row) => ({
    id: String(row.id),
    verdict: JSON.parse(row.verdict),
    bytes: row.bytes,
    asset:
      row.asset_id === null || row.asset_name === null
        ? null
        : { id: String(row.asset_id), name: row.asset_name, folder: row.folder_path ?? '/' },
    at: isoTime(row.at),
  }));
}

function rowToIntake(row: IntakeRow): Intake {
  return {
    id: String(row.id),
    folder: row.folder_path,
    by: row.made_by,
    via: row.via,
    way: row.way,
    label: row.label,
    run: row.run_id === null ? null : String(row.run_id),
    startedAt: isoTime(row.started_at),
    updatedAt: isoTime(row.updated_at),
    accepted: row.accepted,
    warned: row.warned,
    refused: row.refused,
    bytes: row.bytes,
  };
}

/** An archive's blob is referenced while it is being unpacked. */
export const ARCHIVE_BLOBS: BlobHolder = {
  table: 'intakes',
  column: 'archive',
  where:
    "EXISTS (SELECT 1 FROM runs WHERE runs.id = intakes.run_id AND runs.state IN ('waiting', 'working', 'stopping', 'stopped'))",
};
