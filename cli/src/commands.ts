import type { Command } from 'commander';
import { addCompletionCommand } from './completion.js';
import { addConnectionCommands } from './connection-commands.js';
import type { CliContext } from './context.js';
import { addCopyCommands } from './copy-commands.js';
import { addFindingCommands } from './finding-commands.js';
import { addFolderCommands } from './folder-commands.js';
import { addGetCommand } from './get-command.js';
import { addInboxCommand } from './inbox-command.js';
import { addIntakeCommands } from './intake-commands.js';
import { addMirrorCommand } from './mirror-command.js';
import { addPageCommands } from './page-commands.js';
import { addRecipeCommands } from './recipe-commands.js';
import { addCallCommand, addRunCommands } from './run-commands.js';
import { addSessionCommands } from './session-commands.js';
import { addSiteAssetCommands } from './site-asset-commands.js';
import { addStoreCommands } from './store-commands.js';

/** Adds every command to the program. */
export function addCommands(
  program: Command,
  context: () => CliContext,
  env: Record<string, string | undefined> = process.env,
): void {
  addSessionCommands(program, context, env);
  addIntakeCommands(program, context);
  addInboxCommand(program, context);
  addMirrorCommand(program, context);
  addGetCommand(program, context);
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
  addCompletionCommand(program, context);
}
