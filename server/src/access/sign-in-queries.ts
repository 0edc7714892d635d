import { change, changeExpanded, type Database, inTransaction, select } from '../shared/database.js';
import { sha256Of } from '../shared/sha256.js';

const CLEANED_AT_A_TIME = 100;

/** Subjects are stored hashed because they contain personal addresses. */
const digestOf = (subject: string) => sha256Of(subject);

/**
 * Counts an attempt for each subject, in a window of `minutes` that starts with its first attempt.
 *
 * @returns per subject, the count including this attempt, and how much of the window remains
 */
export async function countAttempt(
  db: Database,
  subjects: readonly string[],
  minutes: number,
): Promise<Map<string, { count: number; secondsLeft: number }>> {
  // A fixed order prevents deadlocks between concurrent attempts.
  const digests = subjects.map((subject) => ({ subject, digest: digestOf(subject) }));
  digests.sort((a, b) => (a.digest < b.digest ? -1 : 1));
  return inTransaction(db, async (tx) => {
    const counts = new Map<string, { count: number; secondsLeft: number }>();
    for (const { subject, digest } of digests) {
      const [row] = await select<{ failures: number; seconds_left: number }>(
        tx,
        `INSERT INTO sign_in_counts (subject, failures, since) VALUES (?, 1, NOW(3))
         ON DUPLICATE KEY UPDATE
           failures = IF(since < NOW(3) - INTERVAL ? MINUTE, 1, failures + 1),
           since = IF(since < NOW(3) - INTERVAL ? MINUTE, NOW(3), since)
         RETURNING failures, TIMESTAMPDIFF(SECOND, NOW(3), since + INTERVAL ? MINUTE) AS seconds_left`,
        [digest, minutes, minutes, minutes],
      );
      counts.set(subject, { count: row?.failures ?? 1, secondsLeft: row?.seconds_left ?? 0 });
    }
    await change(
      tx,
      `DELETE FROM sign_in_counts WHERE since < NOW(3) - INTERVAL 1 DAY ORDER BY since LIMIT ${CLEANED_AT_A_TIME}`,
    );
    return counts;
  });
}

/** Uncounts an attempt whose password was correct. */
export async function uncountAttempt(db: Database, subjects: readonly string[]): Promise<void> {
  await changeExpanded(
    db,
    'UPDATE sign_in_counts SET failures = failures - 1 WHERE subject IN (?) AND failures > 0',
    [subjects.map(digestOf)],
  );
}

export async function dropAttempts(db: Database, subject: string): Promise<void> {
  await change(db, 'DELETE FROM sign_in_counts WHERE subject = ?', [digestOf(subject)]);
}
