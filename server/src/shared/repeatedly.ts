import type { Logger } from 'pino';

/**
 * Does something every so often, never twice at a time.
 *
 * @param options.firstMs when the first time is @defaultValue after one interval
 * @returns what ends it
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
