import { createClient } from '@uniferum/client';

/** The console's own client: same origin, authenticated by the session. */
export const uniferum = createClient();
