import type { UniferumClient } from '@uniferum/client';
import type { Output } from './output.js';

/** Exit codes for scripts. */
export const EXIT = {
  good: 0,
  /** Some items were refused or failed; the rest succeeded. */
  partly: 1,
  /** The command line is invalid. */
  usage: 2,
  /** The server cannot be reached. */
  unreachable: 3,
  /** The key is missing, or does not have a required right. */
  forbidden: 4,
  /** The requested object does not exist. */
  missing: 5,
} as const;

export interface CliContext {
  client: UniferumClient;
  output: Output;
  /** Sets the exit code unless the command succeeded. */
  endWith: (code: number) => void;
}
