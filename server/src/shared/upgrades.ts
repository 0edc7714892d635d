import { change, type Database, select } from './database.js';

/**
 * Does what is left to do after migrations. What was interrupted is done again, and so is what two servers begin at the
 * same time: it must be repeatable.
 */
export async function carryOutUpgrades(
  db: Database,
  upgrades: Readonly<Record<string, (db: Database) => Promise<void>>>,
): Promise<void> {
  const due = await select<{ name: string }>(db, 'SELECT name FROM upgrades_due ORDER BY name LIMIT 100');
  for (const { name } of due) {
    const upgrade = upgrades[name];
    // A newer server has something to do that this one doesn't know.
    if (upgrade === undefined) continue;
    await upgrade(db);
    await change(db, 'DELETE FROM upgrades_due WHERE name = ?', [name]);
  }
}
