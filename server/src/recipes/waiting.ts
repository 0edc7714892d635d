import type { Request, Response } from 'express';
import { strangerOf } from '../shared/admission.js';
import type { Principal } from '../shared/principal.js';
import type { RenderPool } from './engine/pool.js';
import type { RenderTools } from './tools.js';

/** Somebody who waits for a picture. */
export interface Waiting {
  /** Where it is made: strangers have a queue of their own. */
  pool: RenderPool;
  /** Who waits; those of one queue take turns. */
  source: string;
  /** Aborts when the line is cut. */
  signal: AbortSignal;
}

/** Who waits for the answer to a request. */
export function waitingFor(tools: RenderTools, who: Principal, req: Request, res: Response): Waiting {
  const gone = new AbortController();
  res.once('close', () => {
    if (!res.writableFinished) gone.abort(new DOMException('The client has gone', 'AbortError'));
  });
  const isStranger = who.kind === 'nobody';
  return {
    pool: isStranger ? tools.rendering.strangersPool : tools.rendering.pool,
    source: isStranger ? strangerOf(req.ip) : who.ref,
    signal: gone.signal,
  };
}
