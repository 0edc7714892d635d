import type { Request, Response } from 'express';
import { strangerOf } from '../shared/admission.js';
import type { Principal } from '../shared/principal.js';
import type { RenderPool } from './engine/pool.js';
import type { RenderTools } from './tools.js';

/** A caller waiting for a picture. */
export interface Waiting {
  /** Where it is rendered: anonymous callers have their own queue. */
  pool: RenderPool;
  /** Identifies the caller; callers in the same queue take turns. */
  source: string;
  /** Aborts when the connection closes. */
  signal: AbortSignal;
}

/** Identifies who waits for the answer to a request. */
export function waitingFor(tools: RenderTools, who: Principal, req: Request, res: Response): Waiting {
  const gone = new AbortController();
  const leave = () => {
    if (!res.writableFinished) gone.abort(new DOMException('The client has gone', 'AbortError'));
  };
  res.once('close', leave);
  // It may have gone before, and then nothing follows.
  if (res.destroyed) leave();
  const isStranger = who.kind === 'nobody';
  return {
    pool: isStranger ? tools.rendering.strangersPool : tools.rendering.pool,
    source: isStranger ? strangerOf(req.ip) : who.ref,
    signal: gone.signal,
  };
}
