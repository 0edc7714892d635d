import { UniferumConnectionError } from './errors.js';

/** Finds out why a request has no answer. */
export async function explainSilence(
  url: string,
  { error, isTimeout, timeoutMs }: { error: unknown; isTimeout: boolean; timeoutMs: number },
): Promise<UniferumConnectionError> {
  const server = originOf(url) ?? 'The server';
  const options = { cause: error };
  if (isTimeout)
    return new UniferumConnectionError(
      'timeout',
      `${server} did not answer within ${timeoutMs / 1000} s. Try again, or pass a larger timeoutMs.`,
      options,
    );
  if (await isBlocked(url))
    return new UniferumConnectionError(
      'blocked',
      `The browser does not let this page use ${server} (CORS). Use a key or a token that is for pages of ${location.origin}.`,
      options,
    );
  return new UniferumConnectionError(
    'unreachable',
    `${server} could not be reached. Check that it is running and try again.`,
    options,
  );
}

function originOf(url: string): string | null {
  return URL.canParse(url) ? new URL(url).origin : null;
}

/** A browser doesn't say why a request to another origin failed; one whose answer can't be read tells whether anybody answers. */
async function isBlocked(url: string): Promise<boolean> {
  const origin = originOf(url);
  if (typeof location === 'undefined' || origin === null || origin === location.origin) return false;
  try {
    await fetch(`${origin}/health/live`, {
      mode: 'no-cors',
      cache: 'no-store',
      signal: AbortSignal.timeout(5000),
    });
    return true;
  } catch {
    return false;
  }
}
