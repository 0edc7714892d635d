import type { FromProcess, ToProcess } from './process-messages.js';

/**
 * Does the work that a pool sends to this process. The built-in objects can't be changed here any more: a parser that is
 * led to write to them fails, and changes nothing for what comes after.
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
            message: error instanceof Error ? error.message : String(error),
            ...(error instanceof Error && 'code' in error && { code: String(error.code) }),
          }),
      )
      .finally(() => running.delete(id));
  });
  // The pool is gone: nobody waits for anything any more, neither for the tools that were started here.
  process.on('disconnect', () => process.kill(-process.pid, 'SIGKILL'));
  // What ends a service reaches the whole group; the pool ends its processes itself, in order. What is being worked on then
  // must not seem to have ended its process.
  process.on('SIGINT', () => {});
  process.on('SIGTERM', () => {});
  freezeBuiltIns();
  answer({ kind: 'ready' });
}

function freezeBuiltIns(): void {
  // Many packages give an object or an error a "toString" or "message" of its own; those may go on doing so.
  freezeForHeirs(Object.prototype);
  freezeForHeirs(Error.prototype);
  for (const builtIn of [Array, Function, String, Number, Boolean, Map, Set, RegExp, Promise, Date])
    Object.freeze(builtIn.prototype);
  for (const builtIn of [Object, Array, Function, String, Number, Map, Set, JSON, Reflect, Promise])
    Object.freeze(builtIn);
}

/**
 * Freezes a prototype, and lets what inherits from it have properties of its own by the same names: to a plain frozen
 * prototype's heirs those can't be assigned (ECMA-262, OrdinarySetWithOwnDescriptor).
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
