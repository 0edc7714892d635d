import { createClient } from '@uniferum/client';
import { withSession } from './access/session.js';

/** The console's own client: same origin, authenticated by the session. */
export const uniferum = createClient({ fetch: withSession(globalThis.fetch) });
