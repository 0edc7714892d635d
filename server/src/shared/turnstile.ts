import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';

/** How long requests are started one after the other before other work gets its turn, in milliseconds. */
const TURN_MS = 4;

/**
 * Starts requests in turns. When hundreds arrive at once, all of them would be started before any other work is done;
 * this way, work in progress continues between them, and health checks do not wait at all.
 */
export function inTurn(handle: RequestListener, isUrgent: (url: string) => boolean): RequestListener {
  const waiting: [req: IncomingMessage, res: ServerResponse][] = [];
  let isInTurn = false;
  const takeTurn = () => {
    const until = performance.now() + TURN_MS;
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      const [req, res] = next;
      // The client has disconnected meanwhile.
      if (!res.destroyed && !req.destroyed) handle(req, res as never);
      if (performance.now() > until) break;
    }
    isInTurn = waiting.length > 0;
    if (isInTurn) setImmediate(takeTurn);
  };
  return (req, res) => {
    if (isUrgent(req.url ?? '')) {
      handle(req, res);
      return;
    }
    waiting.push([req, res]);
    if (isInTurn) return;
    isInTurn = true;
    setImmediate(takeTurn);
  };
}

/** Whether this is a health check. */
export function asksForHealth(url: string): boolean {
  return /^\/(?:api\/v1\/)?health(?:\/live)?(?:\?|$)/.test(url);
}
