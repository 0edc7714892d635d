import { type CountCheck, counterCheck, findDrifts } from '../shared/count-checks.js';
import { change } from '../shared/database.js';

const INTAKE_COUNTS: readonly CountCheck[] = (['accepted', 'warned', 'refused'] as const).map((outcome) => ({
  name: `intakes, ${outcome}`,
  isSlow: true,
  find: (tx) =>
    findDrifts(
      tx,
      `SELECT intake_id AS what, COUNT(*) AS items, 0 AS bytes FROM intake_files
       WHERE JSON_VALUE(verdict, '$.outcome') = '${outcome}' GROUP BY intake_id`,
      `SELECT id, -CAST(${outcome} AS SIGNED), 0 FROM intakes WHERE ${outcome} <> 0`,
    ),
  repair: (tx, { what, items }) =>
    change(tx, `UPDATE intakes SET ${outcome} = CAST(${outcome} AS SIGNED) + ? WHERE id = ?`, [items, what]),
}));

/** The stored counters of intakes and verdicts. */
export const VERDICT_COUNTS: readonly CountCheck[] = [
  ...INTAKE_COUNTS,
  {
    isSlow: true,
    ...counterCheck(
      'verdicts',
      "scope = 'verdict'",
      `SELECT CONCAT('verdict ', JSON_VALUE(verdict, '$.outcome')) AS what, COUNT(*) AS items, SUM(bytes) AS bytes
     FROM intake_files GROUP BY 1`,
    ),
  },
];
