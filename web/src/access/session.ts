import { create } from 'zustand';

interface SessionState {
  /** Whether the session ended while somebody was working, so that a sign-in is needed to go on. */
  hasEnded: boolean;
}

/** The session of the console. */
export const useSession = create<SessionState>(() => ({ hasEnded: false }));

let isKnown = false;
let resumed: { promise: Promise<void>; resolve: () => void } | null = null;

/** Somebody is signed in: a 401 from now on means that the session has ended. */
export function sessionBegan(): void {
  isKnown = true;
  useSession.setState({ hasEnded: false });
  resumed?.resolve();
  resumed = null;
}

/** The user has signed out: nothing waits for a sign-in. */
export function sessionLeft(): void {
  isKnown = false;
  useSession.setState({ hasEnded: false });
}

/** Waits until somebody has signed in again. */
function untilResumed(): Promise<void> {
  if (!resumed) {
    let resolve = () => {};
    const promise = new Promise<void>((done) => {
      resolve = done;
    });
    resumed = { promise, resolve };
  }
  useSession.setState({ hasEnded: true });
  return resumed.promise;
}

/**
 * A `fetch` for the console. When the session has ended, the request waits until somebody has signed in again, and is
 * then sent once more: what was typed or chosen is not lost.
 */
export function withSession(send: typeof fetch): typeof fetch {
  return async (input, init) => {
    const response = await send(input, init);
    if (response.status !== 401 || !isKnown || isAboutSession(input)) return response;
    await untilResumed();
    return send(input, { ...init, signal: stillValid(init?.signal) });
  };
}

/** Signing in answers 401 for a wrong password. */
function isAboutSession(input: RequestInfo | URL): boolean {
  return new URL(input instanceof Request ? input.url : input, window.location.href).pathname.endsWith(
    '/session',
  );
}

/** The time spent on signing in doesn't count towards the timeout of the request. */
function stillValid(signal: AbortSignal | null | undefined): AbortSignal | null {
  const isTimedOut =
    signal?.aborted && signal.reason instanceof DOMException && signal.reason.name === 'TimeoutError';
  return isTimedOut ? null : (signal ?? null);
}
