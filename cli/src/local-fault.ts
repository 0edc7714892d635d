/** What could not be done, by the name of the system call. */
const DONE: Readonly<Record<string, string>> = {
  mkdir: 'created',
  write: 'written',
  rename: 'renamed',
  unlink: 'deleted',
  rmdir: 'deleted',
  rm: 'deleted',
};

/** A reason for users: of a fault of the local file system, which file it is about and why. */
export function sayFault(error: unknown): string {
  if (!(error instanceof Error)) return String(error);
  const { syscall, path, code } = error as NodeJS.ErrnoException;
  const reason = /^E[A-Z0-9]+: ([^,]+)/.exec(error.message)?.[1];
  if (code === undefined || syscall === undefined || reason === undefined) return error.message;
  const what = DONE[syscall] ?? 'opened';
  return `${path ?? 'A file'} can't be ${what}: ${reason}.`;
}
