import type { ApiKey, Right } from '@uniferum/core/access';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { Gate } from '../shared/gate.js';
import { hashPassword, verifyPassword } from './passwords.js';
import { findUserByEmail, insertKey, insertSession, putUser } from './queries.js';
import { hashSecret, newKeySecret, newSessionToken } from './secrets.js';
import { admitAttempt } from './sign-in-limits.js';

export const SESSION_DAYS = 14;

/** Each password check uses 32 MiB of memory and noticeable CPU time. */
const passwordGate = new Gate({ atOnce: 2, maxWaiting: 30 });

/**
 * Checks email and password and opens a session.
 *
 * @param source where the attempt comes from, see `strangerOf`
 * @returns the session's token, for the cookie
 * @throws UniferumError `wrong-credentials`, `too-many-attempts`, `busy`
 */
export async function signIn(
  db: Database,
  { email, password, source }: { email: string; password: string; source: string },
): Promise<string> {
  const user = await findUserByEmail(db, email);
  // Different spellings of an email belong to the same account.
  const account = user ? `user:${user.id}` : `email:${email.trim().toLowerCase()}`;
  const attempt = await admitAttempt(db, { account, source });
  const check = () => verifyPassword(password, user?.passwordHash ?? null);
  const isRight = await passwordGate.pass(check).catch(async (error) => {
    await attempt.takeBack();
    throw error;
  });
  if (!isRight || user === null)
    throw new UniferumError('wrong-credentials', 'The email or the password is wrong.');
  await attempt.forgive();
  const token = newSessionToken();
  await insertSession(db, hashSecret(token), user.id, new Date(Date.now() + SESSION_DAYS * 86_400_000));
  return token;
}

/** Creates a user who can sign in, or updates the one with this email. */
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

/** Creates an API key. Its secret appears in this answer only. */
export async function makeKey(
  db: Database,
  { name, rights, origins = [] }: { name: string; rights: readonly Right[]; origins?: readonly string[] },
): Promise<ApiKey & { secret: string }> {
  const secret = newKeySecret();
  const prefix = secret.slice(0, 8);
  const id = await insertKey(db, {
    name,
    prefix,
    secretHash: hashSecret(secret),
    rights: [...rights],
    origins: [...origins],
  });
  return {
    id,
    name,
    prefix,
    rights: [...rights],
    origins: [...origins],
    createdAt: new Date().toISOString(),
    lastUsedAt: null,
    secret,
  };
}
