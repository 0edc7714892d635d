import { watch } from 'chokidar';
import type { App } from '../app.js';
import { recordEvent } from '../hooks/outbox.js';

/** Changes come in bursts while files are transferred: they are told together. */
const QUIET_MS = 700;

/** Watches the inbox and tells of changes to it. @returns what ends the watching */
export function watchInbox(app: App): () => Promise<void> {
  const { inboxDir } = app.config;
  if (inboxDir === null) return async () => {};
  let timer: NodeJS.Timeout | null = null;
  const tell = () => {
    timer = null;
    recordEvent(app.db, { type: 'inbox.changed', by: 'Uniferum', data: {} }).catch((error) =>
      app.log.warn({ err: error }, 'a change of the inbox could not be told'),
    );
  };
  const watcher = watch(inboxDir, { ignoreInitial: true, ignored: /(?:^|\/)\.[^/]+$/ });
  watcher.on('all', () => {
    timer ??= setTimeout(tell, QUIET_MS);
  });
  watcher.on('error', (error) => app.log.warn({ err: error }, 'the inbox can’t be watched'));
  return async () => {
    if (timer) clearTimeout(timer);
    await watcher.close();
  };
}
