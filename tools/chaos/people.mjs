// @ts-check
// Clients that use an installation while its processes are killed. Each has its own folder, repeats one action, and
// records the responses, which must match the final state.
import { binner, editor, mover, rebuilder, replacer } from './changers.mjs';
import {
  addressSender,
  archiveSender,
  formSender,
  inboxFiller,
  manifestSender,
  pieceSender,
} from './senders.mjs';

/** @typedef {import('./caller.mjs').Caller} Caller */
/** @typedef {import('../random.mjs').Random} Random */

/**
 * @typedef {object} Place what is there for all of them
 * @property {Caller} caller
 * @property {Random} random
 * @property {import('./tools.mjs').Ledger} ledger
 * @property {string} inbox
 * @property {Awaited<ReturnType<typeof import('./outside.mjs').startOutside>>} outside
 */

/** @typedef {{ name: string, prepare?: (place: Place) => Promise<void>, turn: (place: Place, n: number) => Promise<void> }} Person */

/** @type {Person[]} */
export const PEOPLE = [
  formSender,
  pieceSender,
  archiveSender,
  inboxFiller,
  addressSender,
  manifestSender,
  editor,
  replacer,
  binner,
  mover,
  rebuilder,
];
