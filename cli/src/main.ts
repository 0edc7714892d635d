import { createClient, isUniferumApiError, UniferumConnectionError } from '@uniferum/client';
import { Command, CommanderError } from 'commander';
import { addCommands } from './commands.js';
import { type CliContext, EXIT } from './context.js';
import { type Output, processOutput } from './output.js';

interface GlobalOptions {
  url: string;
  key?: string;
  json: boolean;
}

/**
 * Runs a command line.
 *
 * @param makeOutput creates the output; tests provide their own
 * @returns the exit code, see {@link EXIT}
 */
export async function main(
  args: readonly string[],
  env: Record<string, string | undefined> = process.env,
  makeOutput: (isJson: boolean) => Output = processOutput,
): Promise<number> {
  let code: number = EXIT.good;
  let output = makeOutput(false);
  const program = new Command('uniferum')
    .description('Imports, finds and edits files in Uniferum, and monitors runs.')
    .option(
      '--url <address>',
      'where Uniferum is; or UNIFERUM_URL',
      env.UNIFERUM_URL ?? 'http://127.0.0.1:4280',
    )
    .option('--key <key>', 'an API key; or UNIFERUM_KEY', env.UNIFERUM_KEY)
    .option('--json', 'write JSON instead of text', false)
    .exitOverride()
    .configureOutput({
      writeOut: (text) => output.out(text.trimEnd()),
      writeErr: (text) => output.err(text.trimEnd()),
    });
  const context = (): CliContext => {
    const { url, key, json } = program.opts<GlobalOptions>();
    output = makeOutput(json);
    return {
      client: createClient({ baseUrl: url, ...(key !== undefined && { key }) }),
      output,
      endWith: (value) => {
        code = value;
      },
    };
  };
  addCommands(program, context);
  try {
    await program.parseAsync([...args], { from: 'user' });
    return code;
  } catch (error) {
    return report(error, output);
  }
}

function report(error: unknown, output: Output): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? EXIT.good : EXIT.usage;
  if (isUniferumApiError(error)) {
    const { problem } = error;
    if (output.isJson) output.err(JSON.stringify(problem));
    else output.err(`${problem.title}: ${problem.detail}`);
    if (error.status === 401 || error.status === 403) return EXIT.forbidden;
    if (error.status === 404) return EXIT.missing;
    return error.status === 400 ? EXIT.usage : EXIT.partly;
  }
  output.err(error instanceof Error ? error.message : String(error));
  return error instanceof UniferumConnectionError ? EXIT.unreachable : EXIT.partly;
}
