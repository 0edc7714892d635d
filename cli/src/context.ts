import type { UniferumClient } from '@uniferum/client';
import type { Output } from './output.js';

/** How a command ended, for scripts. */
export const EXIT = {
  good: 0,
  /** Something was refused or failed, and the rest was done. */
  partly: 1,
  /** The command line is wrong. */
  usage: 2,
  /** The server can't be reached. */
  unreachable: 3,
  /** The key is missing or lacks a right. */
  forbidden: 4,
  /** What was asked for is not there. */
  missing: 5,
} as const;

export interface CliContext {
  client: UniferumClient;
  output: Output;
  /** Says how the command ended, when it did not end well. */
  endWith: (code: number) => void;
}
