import type { Logger } from 'pino';

/**
 * Repeats work at an interval, never overlapping.
 *
 * @param options.firstMs the delay before the first time
 * @defaultValue one interval
 * @returns a function that stops it
 */
export function repeatedly(
  everyMs: number,
  log: Logger,
  failure: string,
  work: () => Promise<unknown>,
  { firstMs = everyMs }: { firstMs?: number } = {},
): () => void {
  let isGoingOn = false;
  const turn = () => {
    if (isGoingOn) return;
    isGoingOn = true;
    work()
      .catch((error) => log.error({ err: error }, failure))
      .finally(() => {
        isGoingOn = false;
      });
  };
  let interval: NodeJS.Timeout | undefined;
  const first = setTimeout(() => {
    interval = setInterval(turn, everyMs);
    turn();
  }, firstMs);
  return () => {
    clearTimeout(first);
    clearInterval(interval);
  };
}
