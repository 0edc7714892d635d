import type { ApiKey, Right } from '@uniferum/core/access';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { Gate } from '../shared/gate.js';
import { hashPassword, verifyPassword } from './passwords.js';
import { findUserByEmail, insertKey, insertSession, putUser } from './queries.js';
import { hashSecret, newKeySecret, newSessionToken } from './secrets.js';
import { admitAttempt } from './sign-in-limits.js';

export const SESSION_DAYS = 14;

/** Each password that is checked takes 32 MiB and a processor for a while. */
const passwordGate = new Gate({ atOnce: 2, maxWaiting: 30 });

/**
 * Checks an address and password and opens a session.
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
  // Several ways of writing an address lead to one account.
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
