import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const PROGRAM = fileURLToPath(new URL('../../../cli/bin/uniferum.js', import.meta.url));

/** How a program ended, and what it wrote. */
export interface Ended {
  code: number;
  out: string;
  err: string;
}

/** Runs the command line as its own process, as a person would. @param folder where it runs, and what is at home there */
export function runProgram(
  args: readonly string[],
  { folder, env, input }: { folder: string; env: NodeJS.ProcessEnv; input?: string | Buffer | undefined },
): Promise<Ended> {
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
