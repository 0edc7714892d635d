import type { ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { setPriority } from 'node:os';

const PAGE_BYTES = 4096;

/** Whether a process has been stopped. Source: proc(5), /proc/pid/stat, the state after the name in parentheses. */
export function isStopped({ pid }: ChildProcess): boolean {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return stat[stat.lastIndexOf(')') + 2] === 'T';
  } catch {
    return false;
  }
}

/** Ends a process and the tools that it has started. */
export function endGroup({ pid }: ChildProcess): void {
  if (pid === undefined) return;
  try {
    process.kill(-pid, 'SIGKILL');
  } catch {
    // Already ended.
  }
}

/** Lowers the priority of a process, where permitted. */
export function lowerPriority(pid: number, priority: number): void {
  try {
    setPriority(pid, priority);
  } catch {
    // Already ended, or not permitted by the host: it runs at normal priority.
  }
}

/** The memory used by a process; 0 where unknown. Source: proc(5), /proc/pid/statm. */
export async function residentBytes(pid: number): Promise<number> {
  const text = await readFile(`/proc/${pid}/statm`, 'utf8').catch(() => '');
  return Number(text.split(' ')[1] ?? 0) * PAGE_BYTES;
}
