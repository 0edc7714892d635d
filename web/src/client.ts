import { createClient, type UniferumClient } from '@uniferum/client';
import { withSession } from './access/session.js';

/** How the client reaches the server, and with what. */
export interface Transport {
  fetch: typeof fetch;
  /** The token that is sent; null where the session counts. */
  token: () => string | null;
}

let transport: Transport = { fetch: withSession(globalThis.fetch), token: () => null };

/** Replaces how the client reaches the server: the picker in other sites' pages has no session. */
export function sendBy(other: Transport): void {
  transport = other;
}

/** The client of the console: same origin, authenticated by the session. */
export const uniferum: UniferumClient = createClient({
  fetch: (input, init) => transport.fetch(input, init),
  key: () => transport.token(),
});
