import { createClient } from '@uniferum/client';

/** The console's own client: same origin, by the session. */
export const uniferum = createClient();
