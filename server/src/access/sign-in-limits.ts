import { setTimeout as delay } from 'node:timers/promises';
import { formatCount } from '@uniferum/core/intake';
import type { Database } from '../shared/database.js';
import { UniferumError } from '../shared/errors.js';
import { countAttempt, dropAttempts, uncountAttempt } from './sign-in-queries.js';

const WINDOW_MINUTES = 15;
/** Maximum failures per source and account; behind a proxy, one source stands for many people. */
const MAX_OF_PAIR = 8;
const MAX_OF_SOURCE = 40;
/**
 * After this many failures for one account from anywhere, further attempts are delayed rather than refused, so that
 * nobody can lock the owner out.
 */
const SLOW_AFTER = 8;
const FIRST_DELAY_MS = 250;
const LONGEST_DELAY_MS = 4000;

/** Who is trying to sign in, from where, and to which account. */
export interface SignInAttempt {
  /** The account if it exists, otherwise the email as sent. */
  account: string;
  source: string;
}

export interface Admitted {
  /** The password was correct. */
  forgive(): Promise<void>;
  /** The password was not checked. */
  takeBack(): Promise<void>;
}

/**
 * Counts an attempt before the password is checked, so that concurrent attempts cannot all pass the limit, and delays
 * it after many failures for this account.
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

/** How long an attempt is delayed after this many failures for its account, from anywhere. */
export function slowdownMs(failures: number): number {
  if (failures < SLOW_AFTER) return 0;
  return Math.min(LONGEST_DELAY_MS, FIRST_DELAY_MS * 2 ** Math.min(failures - SLOW_AFTER, 10));
}
