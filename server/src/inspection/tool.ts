import { type ChildProcess, execFile, spawn } from 'node:child_process';
import { statfs } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';

const run = promisify(execFile);

/** The time limit of a tool for one page, moment or file. */
const TIMEOUT_MS = 120_000;
const MAX_OUTPUT = 4_000_000;
/**
 * Limits of each tool, as for the shell's `ulimit`: 3 GB of address space, in kB; seconds of CPU time; 2 GB per file,
 * in blocks of 512 bytes; no core dumps. Source: POSIX.1-2024, ulimit -f; dash(1), the others.
 */
const LIMITS = 'ulimit -v 3000000; ulimit -t 120; ulimit -f 4000000; ulimit -c 0';
const POLICIES = fileURLToPath(new URL('../../policies', import.meta.url));
const OVER_LIMIT = 'OVER_LIMIT';
/** What tools say when they meet a limit, of ours or of their own. */
const TOO_LARGE =
  /exceeds limit|resources exhausted|unable to extend cache|file too large|out of memory|memory allocation failed/i;
const DISK_FULL = 'ENOSPC';
/** Command not found. Source: POSIX.1-2024, Shell Command Language, 2.8.2. */
const NOT_FOUND = 127;

/**
 * Runs a tool on an untrusted file, with limits.
 *
 * @returns its output
 * @throws Error that says what is wrong with the file, or which Debian package the worker needs; with the code ENOSPC
 * when the disk is full, which is not the file's fault
 */
export async function runTool(
  command: string,
  args: readonly string[],
  debianPackage: string,
  { maxOutput = MAX_OUTPUT } = {},
): Promise<string> {
  try {
    return (
      await run(...limited(command, args), {
        timeout: TIMEOUT_MS,
        maxBuffer: maxOutput,
        env: toolEnvironment(),
      })
    ).stdout;
  } catch (error) {
    if (!(error instanceof Error)) throw error;
    if ('code' in error && error.code === NOT_FOUND) throw missingTool(command, debianPackage);
    const fault = toolError(command, 'stderr' in error ? String(error.stderr) : '', error);
    throw (await isTemporaryFull()) ? Object.assign(fault, { code: DISK_FULL }) : fault;
  }
}

/** Less than what any picture takes. */
const FULL_BYTES = 1_000_000;

/** Tools write into the temporary folder, and not all of them say so when it is full. */
async function isTemporaryFull(): Promise<boolean> {
  const { bavail, bsize } = await statfs(tmpdir());
  return bavail * bsize < FULL_BYTES;
}

/** Starts a tool whose output is read while it runs. */
export function startTool(
  command: string,
  args: readonly string[],
): ChildProcess & { stdout: NodeJS.ReadableStream; stderr: NodeJS.ReadableStream } {
  return spawn(...limited(command, args), {
    ...{ stdio: ['ignore', 'pipe', 'pipe'], timeout: TIMEOUT_MS },
    env: toolEnvironment(),
  });
}

/** Interprets a tool's exit: null on success. */
export function endOfTool(
  command: string,
  debianPackage: string,
  code: number | null,
  said: string,
): Error | null {
  if (code === 0) return null;
  return code === NOT_FOUND ? missingTool(command, debianPackage) : toolError(command, said);
}

/** Tells whether a tool failed because a file needs more than a tool may have. */
export function isOverLimit(error: unknown): boolean {
  return error instanceof Error && 'code' in error && error.code === OVER_LIMIT;
}

/** Tells whether something failed because the disk is full. */
export function isDiskFull(error: unknown): boolean {
  return error instanceof Error && 'code' in error && error.code === DISK_FULL;
}

/**
 * Tools are given no settings of ours: some are secret, and the image library leaves one behind by which the tool of the same
 * family doesn't find its decoders.
 */
function toolEnvironment(): NodeJS.ProcessEnv {
  const { PATH, TMPDIR } = process.env;
  return {
    ...{ PATH, ...(TMPDIR !== undefined && { TMPDIR }), LANG: 'C.UTF-8' },
    // Debian's own policy refuses panoramas, and allows far more types than are converted.
    MAGICK_CONFIGURE_PATH: POLICIES,
  };
}

function limited(command: string, args: readonly string[]): [string, string[]] {
  return ['sh', ['-c', `${LIMITS}; exec "$@"`, 'sh', command, ...args]];
}

function toolError(command: string, said: string, cause?: unknown): Error {
  const error = new Error(lastLine(said) || `${command} could not read it`, { cause });
  if (/No space left on device/.test(said)) return Object.assign(error, { code: DISK_FULL });
  return TOO_LARGE.test(said) ? Object.assign(error, { code: OVER_LIMIT }) : error;
}

/** A tool is not there, which is not the file's fault. */
export class MissingToolError extends Error {}

function missingTool(command: string, debianPackage: string): MissingToolError {
  return new MissingToolError(
    `this worker has no "${command}"; install the Debian package ${debianPackage} on its host`,
  );
}

/** A tool's last message, without paths of our own disk. */
function lastLine(said: string): string {
  const line = said.trim().split('\n').at(-1) ?? '';
  return line.replace(/(?:\/[\w.-]+){2,}:?\s*/g, '').slice(0, 200);
}
