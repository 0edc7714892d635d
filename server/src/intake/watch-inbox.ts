import { recordEvent } from '../events/outbox.js';
import type { Services } from '../shared/services.js';
import { inboxChanged } from './events.js';
import { FolderWatch } from './watch-folders.js';

/** Changes come in bursts while files are transferred: they are reported together. */
const QUIET_MS = 700;
const LOOK_MS = 10_000;

/** Watches the inbox and reports changes. @returns a function that stops watching */
export function watchInbox(tools: Services): () => void {
  const { inboxDir } = tools.config;
  if (inboxDir === null) return () => {};
  let timer: NodeJS.Timeout | null = null;
  const tell = () => {
    timer = null;
    recordEvent(tools.db, { event: inboxChanged, by: 'Uniferum', data: {} }).catch((error) =>
      tools.log.warn({ err: error }, 'a change of the inbox could not be told'),
    );
  };
  const watching = new FolderWatch({
    onChange: () => {
      timer ??= setTimeout(tell, QUIET_MS);
    },
    onError: (error) => tools.log.warn({ err: error }, "the inbox can't be watched"),
  });
  // The inbox may be mounted after the server starts, or be unmounted and come back.
  const look = () => void watching.add(inboxDir);
  look();
  const looking = setInterval(look, LOOK_MS).unref();
  return () => {
    clearInterval(looking);
    if (timer) clearTimeout(timer);
    watching.close();
  };
}
