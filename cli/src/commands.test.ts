import { Command } from 'commander';
import { expect, test } from 'vitest';
import { addCommands } from './commands.js';
import type { CliContext } from './context.js';

const program = new Command('uniferum');
addCommands(program, () => ({}) as CliContext);

/** The options of the whole program, see main.ts: wherever they stand, they are those. */
const GLOBAL = ['--url', '--key', '--json', '--ndjson', '--version', '--help'];

test.each(program.commands.map((command) => [command.name(), command] as const))(
  '%s has no option that another meaning hides',
  (_name, command) => {
    const own = command.options.flatMap(({ long }) => long ?? []);
    expect(own.filter((flag) => GLOBAL.includes(flag))).toEqual([]);
    expect(own).toEqual([...new Set(own)]);
  },
);

test('every command says what it does', () => {
  expect(program.commands.filter((command) => command.description() === '').map((one) => one.name())).toEqual(
    [],
  );
  expect(program.commands.length).toBeGreaterThan(20);
});
