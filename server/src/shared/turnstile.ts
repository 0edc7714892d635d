import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';

/** So long requests are begun one after the other before everything else gets its turn, in milliseconds. */
const TURN_MS = 4;

/**
 * Begins requests in turns. When hundreds arrive in the same moment they would all be begun before anybody else is
 * looked at; like this what is under way goes on between them, and whoever asks for the health doesn't wait at all.
 */
export function inTurn(handle: RequestListener, isUrgent: (url: string) => boolean): RequestListener {
  const waiting: [req: IncomingMessage, res: ServerResponse][] = [];
  let isInTurn = false;
  const takeTurn = () => {
    const until = performance.now() + TURN_MS;
    for (let next = waiting.shift(); next; next = waiting.shift()) {
      const [req, res] = next;
      // Whoever has gone meanwhile wants no answer.
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

/** Whether a request asks for the health. */
export function asksForHealth(url: string): boolean {
  return /^\/(?:api\/v1\/)?health(?:\/live)?(?:\?|$)/.test(url);
}
