import { plainReason } from './plain-reason.js';
import type { FromProcess, ToProcess } from './process-messages.js';

/**
 * Runs the tasks that a pool sends to this process. Built-in objects are frozen here: a parser tricked into modifying
 * them fails, and cannot affect later tasks.
 */
export function serveProcess<Work, Result, Part = never>(
  doWork: (
    work: Work,
    context: { signal: AbortSignal; tell: (part: Part) => void },
  ) => Promise<Result> | Result,
): void {
  const running = new Map<number, AbortController>();
  const answer = (message: FromProcess<Result, Part>) => process.send?.(message);
  process.on('message', (message: ToProcess<Work>) => {
    if (message.kind === 'cancel') {
      running.get(message.id)?.abort();
      return;
    }
    const { id, work } = message;
    const abort = new AbortController();
    running.set(id, abort);
    const tell = (part: Part) => void answer({ kind: 'part', id, part });
    Promise.resolve()
      .then(() => doWork(work, { signal: abort.signal, tell }))
      .then(
        (result) => answer({ kind: 'done', id, result }),
        (error) =>
          answer({
            kind: 'failed',
            id,
            message: plainReason(error, pathsIn(work)),
            ...(error instanceof Error && 'code' in error && { code: String(error.code) }),
          }),
      )
      .finally(() => running.delete(id));
  });
  // The pool is gone: nobody waits for results, including those of tools started here.
  process.on('disconnect', () => process.kill(-process.pid, 'SIGKILL'));
  // A signal that ends a service reaches the whole group; the pool ends its processes itself, in order. The running
  // task must not appear to have crashed its process.
  process.on('SIGINT', () => {});
  process.on('SIGTERM', () => {});
  freezeBuiltIns();
  answer({ kind: 'ready' });
}

const PATH_FIELDS = new Set(['path', 'outPath', 'outDir', 'file']);

/** The paths of files that a task states, at any depth of its objects. */
function pathsIn(work: unknown, depth = 0): string[] {
  if (typeof work !== 'object' || work === null || ArrayBuffer.isView(work) || depth > 4) return [];
  return Object.entries(work).flatMap(([name, value]) =>
    typeof value === 'string' ? (PATH_FIELDS.has(name) ? [value] : []) : pathsIn(value, depth + 1),
  );
}

function freezeBuiltIns(): void {
  // Many packages give an object or an error its own "toString" or "message"; this must stay possible.
  freezeForHeirs(Object.prototype);
  freezeForHeirs(Error.prototype);
  for (const builtIn of [Array, Function, String, Number, Boolean, Map, Set, RegExp, Promise, Date])
    Object.freeze(builtIn.prototype);
  for (const builtIn of [Object, Array, Function, String, Number, Map, Set, JSON, Reflect, Promise])
    Object.freeze(builtIn);
}

/**
 * Freezes a prototype, but lets inheriting objects define properties with the same names: assigning them would fail
 * with a plain frozen prototype (ECMA-262, OrdinarySetWithOwnDescriptor).
 */
function freezeForHeirs(prototype: object): void {
  for (const [name, descriptor] of Object.entries(Object.getOwnPropertyDescriptors(prototype))) {
    if (!('value' in descriptor) || !descriptor.configurable) continue;
    const { value } = descriptor;
    Object.defineProperty(prototype, name, {
      configurable: false,
      enumerable: false,
      get: () => value,
      set(this: object, own: unknown) {
        if (this === prototype) throw new TypeError(`${name} of a built-in object can't be changed`);
        Object.defineProperty(this, name, {
          value: own,
          writable: true,
          enumerable: true,
          configurable: true,
        });
      },
    });
  }
  Object.freeze(prototype);
}
