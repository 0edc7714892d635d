import { type Command, Option } from 'commander';
import type { CliContext } from './context.js';

/**
 * Keeps the flags of earlier releases working for one release: each sets the flag that replaces it, and warns.
 *
 * @param flags old names with new ones, as on the command line: `{ '--find <filter>': '--filter' }`
 */
export function acceptRenamed(
  command: Command,
  flags: Record<string, string>,
  context: () => CliContext,
): void {
  const renamed = Object.entries(flags).map(([old, now]) => ({
    option: new Option(old).hideHelp(),
    now: new Option(now),
  }));
  for (const { option } of renamed) command.addOption(option);
  command.hook('preAction', () => {
    for (const { option, now } of renamed) {
      const value = command.getOptionValue(option.attributeName());
      if (value === undefined) continue;
      context().output.err(
        `${option.long} is now ${now.long}. The old name will be removed in the next release.`,
      );
      command.setOptionValue(now.attributeName(), value);
    }
  });
}
