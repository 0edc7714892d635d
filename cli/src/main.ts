import { createClient, isUniferumApiError, UniferumConnectionError } from '@uniferum/client';
import { Command, CommanderError } from 'commander';
import { addCommands } from './commands.js';
import { readConfig } from './config.js';
import { type CliContext, EXIT } from './context.js';
import { MissingError } from './identify.js';
import { sayFault } from './local-fault.js';
import { type Output, type OutputFormat, processOutput } from './output.js';
import { VERSION } from './version.js';

interface GlobalOptions {
  url?: string;
  key?: string;
  json: boolean;
  ndjson: boolean;
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
  makeOutput: (format: OutputFormat) => Output = processOutput,
): Promise<number> {
  let code: number = EXIT.good;
  let output = makeOutput('text');
  const program = new Command('uniferum')
    .description('Imports, finds and edits files in Uniferum, and monitors runs.')
    .version(VERSION, '--version', 'show the version')
    .option('--url <address>', 'where Uniferum is; or UNIFERUM_URL, or as stored by login')
    .option('--key <key>', 'an API key; or UNIFERUM_KEY, or as stored by login')
    .option('--json', 'write one JSON document instead of text', false)
    .option('--ndjson', 'write one line of JSON for each result, as soon as it is known', false)
    .exitOverride()
    .configureOutput({
      writeOut: (text) => output.out(text.trimEnd()),
      writeErr: (text) => output.err(text.trimEnd()),
    });
  const read = await readConfig(env).catch((fault: Error) => fault);
  /** @throws Error when it can't be read; whoever signs in again doesn't need it */
  const stored = () => {
    if (read instanceof Error) throw read;
    return read;
  };
  const context = (): CliContext => {
    const { url, key, json, ndjson } = program.opts<GlobalOptions>();
    output = makeOutput(ndjson ? 'ndjson' : json ? 'json' : 'text');
    return {
      get client() {
        const baseUrl = url ?? env.UNIFERUM_URL ?? stored().url ?? 'http://127.0.0.1:4280';
        // A stored key is not sent to another server.
        const given = key ?? env.UNIFERUM_KEY ?? (baseUrl === stored().url ? stored().key : undefined);
        return createClient({ baseUrl, ...(given !== undefined && { key: given }) });
      },
      output,
      endWith: (value) => {
        code = value;
      },
    };
  };
  addCommands(program, context, env);
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
  output.err(sayFault(error));
  if (error instanceof MissingError) return EXIT.missing;
  return error instanceof UniferumConnectionError ? EXIT.unreachable : EXIT.partly;
}
