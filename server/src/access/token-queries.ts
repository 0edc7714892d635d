import type { Right, TokenScope } from '@uniferum/core/access';
import { change, type Executor, isoTime, select, selectOne, writeJson } from '../shared/database.js';

interface TokenRow {
  id: number;
  name: string;
  rights: string;
  folder: string;
  origin: string | null;
  allow: string;
  max_bytes: number | null;
  max_items: number | null;
  expires_at: Date;
}

export interface StoredToken {
  id: string;
  name: string;
  rights: Right[];
  scope: TokenScope;
}

export interface NewToken extends Omit<StoredToken, 'id'> {
  secretHash: string;
  /** The id of the key or of the user that asked for it: it ends with them. */
  keyId: string | null;
  userId: string | null;
}

export async function insertToken(db: Executor, token: NewToken): Promise<void> {
  const { scope } = token;
  await change(
    db,
    `INSERT INTO access_tokens
       (secret_hash, name, rights, folder, origin, allow, max_bytes, max_items, key_id, user_id, expires_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    [
      token.secretHash,
      token.name,
      writeJson(token.rights),
      scope.folder,
      scope.origin,
      writeJson(scope.allow),
      scope.maxBytes,
      scope.maxItems,
      token.keyId,
      token.userId,
      new Date(scope.expiresAt),
    ],
  );
}

/** Finds a token that has not expired. */
export async function findToken(db: Executor, secretHash: string): Promise<StoredToken | null> {
  const row = await selectOne<TokenRow>(
    db,
    `SELECT id, name, rights, folder, origin, allow, max_bytes, max_items, expires_at
     FROM access_tokens
     WHERE secret_hash = ? AND expires_at > NOW(3)`,
    [secretHash],
  );
  return row && rowToToken(row);
}

/** Locks a token until the end of the transaction. @returns how many files were uploaded with it; null when it is gone */
export async function lockTokenItems(db: Executor, id: string): Promise<number | null> {
  const row = await selectOne<{ used_items: number }>(
    db,
    'SELECT used_items FROM access_tokens WHERE id = ? FOR UPDATE',
    [id],
  );
  return row?.used_items ?? null;
}

/** How many files were uploaded with a token. */
export async function readTokenItems(db: Executor, id: string): Promise<number> {
  const sql = 'SELECT used_items FROM access_tokens WHERE id = ?';
  return (await selectOne<{ used_items: number }>(db, sql, [id]))?.used_items ?? 0;
}

/** Counts files that were uploaded with a token. */
export async function addTokenItems(db: Executor, id: string, items: number): Promise<void> {
  await change(db, 'UPDATE access_tokens SET used_items = used_items + ? WHERE id = ?', [items, id]);
}

/** The origins of web pages that any token is for; null among them when one is for any page. */
export async function listTokenOrigins(db: Executor): Promise<(string | null)[]> {
  const rows = await select<{ origin: string | null }>(
    db,
    'SELECT DISTINCT origin FROM access_tokens WHERE expires_at > NOW(3) ORDER BY origin LIMIT 1000',
  );
  return rows.map(({ origin }) => origin);
}

/** Deletes expired tokens. @returns how many */
export async function deleteExpiredTokens(db: Executor): Promise<number> {
  return (await change(db, 'DELETE FROM access_tokens WHERE expires_at <= NOW(3) LIMIT 1000')).affectedRows;
}

function rowToToken(row: TokenRow): StoredToken {
  return {
    id: String(row.id),
    name: row.name,
    rights: JSON.parse(row.rights),
    scope: {
      folder: row.folder,
      origin: row.origin,
      allow: JSON.parse(row.allow),
      maxBytes: row.max_bytes,
      maxItems: row.max_items,
      expiresAt: isoTime(row.expires_at),
    },
  };
}
