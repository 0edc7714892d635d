import type { ApiKey, Right } from '@uniferum/core';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { hashPassword, verifyPassword } from './passwords.js';
import {
  countFailedSignIns,
  findUserByEmail,
  insertFailedSignIn,
  insertKey,
  insertSession,
  putUser,
} from './queries.js';
import { hashSecret, newKeySecret, newSessionToken } from './secrets.js';

/** Failures after which an address, or a client, has to wait. A client stands for many people behind one proxy. */
const MAX_FAILURES = { email: 8, client: 40 };
const WINDOW_MINUTES = 15;
export const SESSION_DAYS = 14;

/**
 * Checks an address and password and opens a session.
 *
 * @returns the session's token, for the cookie
 * @throws UniferumError `wrong-credentials`, `too-many-attempts`
 */
export async function signIn(
  db: Database,
  { email, password, client }: { email: string; password: string; client: string },
): Promise<string> {
  const subjects = { email: `email:${email.toLowerCase()}`, client: `client:${client}` };
  for (const which of ['email', 'client'] as const) {
    if ((await countFailedSignIns(db, subjects[which], WINDOW_MINUTES)) >= MAX_FAILURES[which]) {
      throw new UniferumError(
        'too-many-attempts',
        `There were too many failed sign-ins. Try again in ${WINDOW_MINUTES} minutes.`,
        { retryAfterSeconds: WINDOW_MINUTES * 60 },
      );
    }
  }
  const user = await findUserByEmail(db, email);
  if (!(await verifyPassword(password, user?.passwordHash ?? null)) || user === null) {
    await insertFailedSignIn(db, subjects.email);
    await insertFailedSignIn(db, subjects.client);
    throw new UniferumError(
      'wrong-credentials',
      'No account has this address and password. Check both and try again.',
    );
  }
  const token = newSessionToken();
  await insertSession(db, hashSecret(token), user.id, new Date(Date.now() + SESSION_DAYS * 86_400_000));
  return token;
}

/** Makes a person who can sign in, or renews the one with this address. */
export async function makeUser(
  db: Database,
  user: { email: string; name: string; password: string; rights: readonly Right[] },
): Promise<void> {
  await putUser(db, {
    email: user.email,
    name: user.name,
    passwordHash: await hashPassword(user.password),
    rights: user.rights,
  });
}

/** Makes an API key. The secret is in this answer and nowhere else. */
export async function makeKey(
  db: Database,
  { name, rights }: { name: string; rights: readonly Right[] },
): Promise<ApiKey & { secret: string }> {
  const secret = newKeySecret();
  const prefix = secret.slice(0, 8);
  const id = await insertKey(db, { name, prefix, secretHash: hashSecret(secret), rights });
  return {
    id,
    name,
    prefix,
    rights: [...rights],
    createdAt: new Date().toISOString(),
    lastUsedAt: null,
    secret,
  };
}
