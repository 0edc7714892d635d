import type { ApiKey, Right } from '@uniferum/core/access';
import {
  change,
  type Executor,
  isoTime,
  isoTimeOrNull,
  select,
  selectOne,
  writeJson,
} from '../shared/database.js';

interface UserRow {
  id: number;
  name: string;
  password_hash: string;
  rights: string;
}

interface KeyRow {
  id: number;
  name: string;
  prefix: string;
  rights: string;
  origins: string | null;
  created_at: Date;
  last_used_at: Date | null;
}

export interface KnownUser {
  id: string;
  name: string;
  rights: Right[];
  passwordHash: string;
}

/** Finds a user by email; null when there is none. */
export async function findUserByEmail(db: Executor, email: string): Promise<KnownUser | null> {
  const row = await selectOne<UserRow>(
    db,
    'SELECT id, name, password_hash, rights FROM users WHERE email = ?',
    [email],
  );
  return row && rowToUser(row);
}

/** Creates a user, or sets a new password and rights for the existing one with this email. */
export async function putUser(
  db: Executor,
  user: { email: string; name: string; passwordHash: string; rights: readonly Right[] },
): Promise<void> {
  await change(
    db,
    `INSERT INTO users (email, name, password_hash, rights) VALUES (?, ?, ?, ?)
     ON DUPLICATE KEY UPDATE name = VALUES(name), password_hash = VALUES(password_hash), rights = VALUES(rights)`,
    [user.email, user.name, user.passwordHash, writeJson(user.rights)],
  );
}

export async function insertSession(
  db: Executor,
  tokenHash: string,
  userId: string,
  expiresAt: Date,
): Promise<void> {
  await change(db, 'DELETE FROM sessions WHERE expires_at < NOW(3)');
  await change(db, 'INSERT INTO sessions (token_hash, user_id, expires_at) VALUES (?, ?, ?)', [
    tokenHash,
    userId,
    expiresAt,
  ]);
}

/** Finds the user of a valid session. */
export async function findSession(db: Executor, tokenHash: string): Promise<KnownUser | null> {
  const row = await selectOne<UserRow>(
    db,
    `SELECT users.id, users.name, users.password_hash, users.rights
     FROM sessions
     JOIN users ON users.id = sessions.user_id
     WHERE sessions.token_hash = ? AND sessions.expires_at > NOW(3)`,
    [tokenHash],
  );
  return row && rowToUser(row);
}

export async function deleteSession(db: Executor, tokenHash: string): Promise<void> {
  await change(db, 'DELETE FROM sessions WHERE token_hash = ?', [tokenHash]);
}

export async function insertKey(
  db: Executor,
  key: Pick<ApiKey, 'name' | 'prefix' | 'rights' | 'origins'> & { secretHash: string },
): Promise<string> {
  const { insertId } = await change(
    db,
    'INSERT INTO api_keys (name, prefix, secret_hash, rights, origins) VALUES (?, ?, ?, ?, ?)',
    [
      ...[key.name, key.prefix, key.secretHash, writeJson(key.rights)],
      key.origins.length > 0 ? writeJson(key.origins) : null,
    ],
  );
  return String(insertId);
}

export async function findKeyBySecretHash(db: Executor, secretHash: string): Promise<ApiKey | null> {
  const row = await selectOne<KeyRow>(
    db,
    'SELECT id, name, prefix, rights, origins, created_at, last_used_at FROM api_keys WHERE secret_hash = ?',
    [secretHash],
  );
  return row && rowToKey(row);
}

/** Records that a key was just used. */
export async function touchKey(db: Executor, id: string): Promise<void> {
  await change(db, 'UPDATE api_keys SET last_used_at = NOW(3) WHERE id = ?', [id]);
}

/** Lists all keys, newest first; an installation has only a few. */
export async function listKeys(db: Executor): Promise<ApiKey[]> {
  const rows = await select<KeyRow>(
    db,
    'SELECT id, name, prefix, rights, origins, created_at, last_used_at FROM api_keys ORDER BY id DESC LIMIT 1000',
  );
  return rows.map(rowToKey);
}

/** The origins of web pages that any key is for. */
export async function listKeyOrigins(db: Executor): Promise<string[]> {
  const rows = await select<{ origins: string }>(
    db,
    'SELECT origins FROM api_keys WHERE origins IS NOT NULL ORDER BY id LIMIT 1000',
  );
  return rows.flatMap(({ origins }) => JSON.parse(origins) as string[]);
}

/** @returns whether the key existed */
export async function deleteKey(db: Executor, id: string): Promise<boolean> {
  return (await change(db, 'DELETE FROM api_keys WHERE id = ?', [id])).affectedRows === 1;
}

function rowToUser(row: UserRow): KnownUser {
  return {
    id: String(row.id),
    name: row.name,
    rights: JSON.parse(row.rights),
    passwordHash: row.password_hash,
  };
}

function rowToKey(row: KeyRow): ApiKey {
  return {
    id: String(row.id),
    name: row.name,
    prefix: row.prefix,
    rights: JSON.parse(row.rights),
    origins: JSON.parse(row.origins ?? '[]'),
    createdAt: isoTime(row.created_at),
    lastUsedAt: isoTimeOrNull(row.last_used_at),
  };
}
