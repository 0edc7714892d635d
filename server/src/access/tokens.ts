import type { Right, TokenScope } from '@uniferum/core/access';
import type { Executor } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import type { Principal } from '../shared/principal.js';
import { hashSecret, newTokenSecret } from './secrets.js';
import { insertToken } from './token-queries.js';

/** How long tokens are good, in seconds. A browser that still needs one asks the site's server for another. */
export const TOKEN_SECONDS = { least: 60, most: 86_400, usual: 3600 } as const;

const LONGEST_NAME = 120;

/**
 * Creates a token with some of the rights of whoever asks for it. Its secret appears in this answer only.
 *
 * @param what what it is for, as shown in the history of what it uploads
 * @throws UniferumError `right-missing`
 */
export async function makeToken(
  db: Executor,
  who: Principal,
  { what, rights, scope }: { what: string; rights: readonly Right[]; scope: TokenScope },
): Promise<{ token: string; expiresAt: string }> {
  const excess = rights.find((right) => !who.rights.includes(right));
  if (excess)
    throw new UniferumError(
      'right-missing',
      `You can't give the right "${excess}", because you don't have it.`,
    );
  const token = newTokenSecret();
  await insertToken(db, {
    secretHash: hashSecret(token),
    name: `${what} (${who.name})`.slice(0, LONGEST_NAME),
    rights: [...rights],
    scope,
    keyId: who.kind === 'key' ? who.id : null,
    userId: who.kind === 'user' ? who.id : null,
  });
  return { token, expiresAt: scope.expiresAt };
}
