import { setTimeout as delay } from 'node:timers/promises';
import { formatCount } from '@uniferum/core/intake';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { countAttempt, dropAttempts, uncountAttempt } from './sign-in-queries.js';

const WINDOW_MINUTES = 15;
/** So many failures of one source with one account; a source stands for many people behind one proxy. */
const MAX_OF_PAIR = 8;
const MAX_OF_SOURCE = 40;
/** After so many failures with one account from anywhere every further attempt takes longer: nobody can lock its owner out. */
const SLOW_AFTER = 8;
const FIRST_DELAY_MS = 250;
const LONGEST_DELAY_MS = 4000;

/** Who tries to sign in, from where, and as whom. */
export interface SignInAttempt {
  /** The account if there is one, else the address that was sent. */
  account: string;
  source: string;
}

export interface Admitted {
  /** The password was right. */
  forgive(): Promise<void>;
  /** It was not looked at. */
  takeBack(): Promise<void>;
}

/**
 * Counts an attempt before the password is looked at, so that many at a time can't all pass a limit, and has it wait when
 * there were many failures with this account.
 *
 * @throws UniferumError `too-many-attempts`
 */
export async function admitAttempt(db: Database, { account, source }: SignInAttempt): Promise<Admitted> {
  const subjects = {
    pair: `pair ${account} ${source}`,
    source: `source ${source}`,
    account: `account ${account}`,
  };
  const counts = await countAttempt(db, Object.values(subjects), WINDOW_MINUTES);
  const over = [
    { counted: counts.get(subjects.pair), most: MAX_OF_PAIR },
    { counted: counts.get(subjects.source), most: MAX_OF_SOURCE },
  ].flatMap(({ counted, most }) => (counted && counted.count > most ? counted.secondsLeft : []));
  if (over.length > 0) {
    const waitSeconds = Math.max(1, ...over);
    const minutes = Math.ceil(waitSeconds / 60);
    throw new UniferumError(
      'too-many-attempts',
      `Too many failed sign-ins from your network. Try again in ${formatCount(minutes, 'minute')}.`,
      { retryAfterSeconds: waitSeconds },
    );
  }
  const failures = (counts.get(subjects.account)?.count ?? 1) - 1;
  await delay(slowdownMs(failures));
  return {
    forgive: async () => {
      await dropAttempts(db, subjects.pair);
      await uncountAttempt(db, [subjects.source, subjects.account]);
    },
    takeBack: () => uncountAttempt(db, Object.values(subjects)),
  };
}

/** How long an attempt waits after so many failures with its account, from anywhere. */
export function slowdownMs(failures: number): number {
  if (failures < SLOW_AFTER) return 0;
  return Math.min(LONGEST_DELAY_MS, FIRST_DELAY_MS * 2 ** Math.min(failures - SLOW_AFTER, 10));
}
