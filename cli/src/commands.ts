import type { Command } from 'commander';
import { addFindingCommands } from './finding-commands.js';
import { addIntakeCommands } from './intake-commands.js';
import type { CliContext } from './main.js';
import { addRecipeCommands } from './recipe-commands.js';
import { addCallCommand, addRunCommands } from './run-commands.js';

/** Adds every command to the program. */
export function addCommands(program: Command, context: () => CliContext): void {
  addIntakeCommands(program, context);
  addFindingCommands(program, context);
  addRecipeCommands(program, context);
  addRunCommands(program, context);
  addCallCommand(program, context);
}
