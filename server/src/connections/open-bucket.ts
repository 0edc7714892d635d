import type { Config } from '../shared/config.js';
import { UniferumError } from '../shared/errors.js';
import { openSecret } from '../shared/secrets.js';
import type { Connection } from './queries.js';

/** Decrypts the secret of a connection. @throws UniferumError `conflict` when it was sealed with another master key */
export function readSecret(
  config: Pick<Config, 'masterKey'>,
  { name, secret }: Pick<Connection, 'name' | 'secret'>,
): string {
  if (secret === null) return '';
  try {
    return openSecret(config, secret);
  } catch (cause) {
    throw new UniferumError(
      'conflict',
      `The secret of "${name}" can't be decrypted: the master key has changed. Enter the secret again.`,
      { cause },
    );
  }
}
