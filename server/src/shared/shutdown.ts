import type { Logger } from 'pino';

/** After so long an orderly end is given up: whatever is still going on is made good after the next start. */
const PATIENCE_MS = 10_000;

/** Ends the process in an orderly way on a signal, or when the process that started it has gone. */
export function onShutdown(log: Logger, close: () => Promise<void>): void {
  let isClosing = false;
  const shutDown = (cause: string) => {
    if (isClosing) return;
    isClosing = true;
    log.info({ cause }, 'shutting down');
    setTimeout(() => process.exit(1), PATIENCE_MS).unref();
    close().then(
      () => process.exit(0),
      (error) => {
        log.error({ err: error }, 'the shutdown failed');
        process.exit(1);
      },
    );
  };
  process.on('SIGTERM', () => shutDown('SIGTERM'));
  process.on('SIGINT', () => shutDown('SIGINT'));
  process.on('disconnect', () => shutDown('parent gone'));
}
