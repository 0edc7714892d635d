import { create } from 'zustand';
import { type FromFrame, isMarked, mark, type ToFrame } from './messages.js';

interface HostState {
  /** The origin of the page that shows the frame; null before it has said anything. */
  origin: string | null;
  token: string | null;
  filter: string;
  sizes: string;
  failure: string | null;
}

/** What the page that shows the frame has said. */
export const useHost = create<HostState>(() => ({
  ...{ origin: null, token: null, filter: '', sizes: '100vw', failure: null },
}));

let waiting: ((token: string | null) => void)[] = [];

/** Begins to listen to the page that shows the frame. */
export function listenToHost(): void {
  window.addEventListener('message', ({ data, source, origin }) => {
    if (source !== window.parent || window.parent === window || !isMarked(data)) return;
    // The first page that speaks is the one that is answered.
    if (useHost.getState().origin !== null && useHost.getState().origin !== origin) return;
    hear(data as ToFrame, origin);
  });
  post({ type: 'ready' }, '*');
}

function hear(message: ToFrame, origin: string): void {
  switch (message.type) {
    case 'open':
      document.documentElement.dataset.theme = message.theme;
      useHost.setState({ origin, filter: message.filter, sizes: message.sizes });
      receive(message.token);
      break;
    case 'token':
      receive(message.token);
      break;
    case 'failed':
      // While there is a token, work goes on with it; what it can't do any more says so by itself.
      useHost.setState(({ token }) => ({ origin, failure: token === null ? message.message : null }));
      settle(null);
  }
}

function receive(token: string): void {
  useHost.setState({ token, failure: null });
  settle(token);
}

function settle(token: string | null): void {
  const all = waiting;
  waiting = [];
  for (const resolve of all) resolve(token);
}

/** Asks the page for another token. @returns null when it has none */
export function renewToken(): Promise<string | null> {
  return new Promise((resolve) => {
    waiting.push(resolve);
    if (waiting.length === 1) tellHost({ type: 'token-needed' });
  });
}

/** Tells the page something. */
export function tellHost(message: FromFrame): void {
  const { origin } = useHost.getState();
  if (origin !== null) post(message, origin);
}

function post(message: FromFrame, origin: string): void {
  if (window.parent !== window) window.parent.postMessage(mark(message), origin);
}

/** A `fetch` with the token of the page and never with a session; when the token has expired, it asks for another. */
export function withToken(send: typeof fetch): typeof fetch {
  return async (input, init) => {
    const response = await send(input, { ...init, credentials: 'omit' });
    if (response.status !== 401) return response;
    const token = await renewToken();
    if (token === null) return response;
    const headers = new Headers(init?.headers);
    headers.set('Authorization', `Bearer ${token}`);
    return send(input, { ...init, headers, credentials: 'omit' });
  };
}
