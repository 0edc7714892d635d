import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const PROGRAM = fileURLToPath(new URL('../../../cli/bin/uniferum.js', import.meta.url));
const CLI = new URL('../../../cli/dist/', import.meta.url);

/** How a program ended, and what it wrote. */
export interface Ended {
  code: number;
  out: string;
  err: string;
}

interface ProgramOptions {
  /** Where it runs, and what is at home there. */
  folder: string;
  env: NodeJS.ProcessEnv;
  input?: string | Buffer | undefined;
}

/**
 * Runs the command line. Starting a process takes longer than most commands, so only those whose streams are piped get
 * one.
 */
export function runProgram(args: readonly string[], options: ProgramOptions): Promise<Ended> {
  const isPiped = options.input !== undefined || args.includes('-');
  return isPiped ? startProgram(args, options) : callProgram(args, options);
}

/** Runs the command line as its own process, as a person would. */
function startProgram(args: readonly string[], { folder, env, input }: ProgramOptions): Promise<Ended> {
  return new Promise((resolve) => {
    const options = {
      ...{ cwd: folder, maxBuffer: 50_000_000 },
      env: { ...process.env, HOME: folder, XDG_CONFIG_HOME: undefined, ...env },
    };
    const child = execFile(process.execPath, [PROGRAM, ...args], options, (error, out, err) =>
      resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, err }),
    );
    // It may have ended without reading.
    child.stdin?.on('error', () => {});
    child.stdin?.end(input);
  });
}

/** How many commands run in this process, and where it was before the first of them. */
let running = 0;
let home = '';

async function callProgram(args: readonly string[], { folder, env }: ProgramOptions): Promise<Ended> {
  const { main } = await import(new URL('main.js', CLI).href);
  const { itemWriter } = await import(new URL('output.js', CLI).href);
  const written = { out: '', err: '' };
  const out = (line: string) => {
    written.out += `${line}\n`;
  };
  const err = (line: string) => {
    written.err += `${line}\n`;
  };
  if (running === 0) home = process.cwd();
  running += 1;
  process.chdir(folder);
  try {
    const code: number = await main(args, { HOME: folder, ...env }, (format: unknown) => ({
      ...{ out, err },
      ...itemWriter(format, { out, err }),
    }));
    return { code, ...written };
  } finally {
    running -= 1;
    if (running === 0) process.chdir(home);
  }
}
