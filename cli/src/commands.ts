import type { Command } from 'commander';
import { addConnectionCommands } from './connection-commands.js';
import type { CliContext } from './context.js';
import { addCopyCommands } from './copy-commands.js';
import { addFindingCommands } from './finding-commands.js';
import { addFolderCommands } from './folder-commands.js';
import { addIntakeCommands } from './intake-commands.js';
import { addPageCommands } from './page-commands.js';
import { addRecipeCommands } from './recipe-commands.js';
import { addCallCommand, addRunCommands } from './run-commands.js';
import { addSiteAssetCommands } from './site-asset-commands.js';
import { addStoreCommands } from './store-commands.js';

/** Adds every command to the program. */
export function addCommands(program: Command, context: () => CliContext): void {
  addIntakeCommands(program, context);
  addFindingCommands(program, context);
  addFolderCommands(program, context);
  addRecipeCommands(program, context);
  addPageCommands(program, context);
  addSiteAssetCommands(program, context);
  addConnectionCommands(program, context);
  addStoreCommands(program, context);
  addCopyCommands(program, context);
  addRunCommands(program, context);
  addCallCommand(program, context);
}
