import type { Logger } from 'pino';

/** How long a clean shutdown may take; whatever is still running is recovered after the next start. */
const PATIENCE_MS = 10_000;

/** Shuts the process down on a signal, or when its parent process has gone. */
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
