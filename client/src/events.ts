import { UniferumConnectionError } from './errors.js';
import { type Http, pause } from './http.js';

/** An event of the live stream. */
export interface LiveEvent<Data = Record<string, unknown>> {
  /** Resumes after this event when passed as `lastEventId`; null for what only concerns the moment, such as progress. */
  id: string | null;
  /** Such as `asset.created` or `run.progress`. */
  type: string;
  data: Data;
}

export interface EventOptions {
  /** Begins after this event, however long ago it was. @defaultValue now */
  lastEventId?: string;
  /** Only events of these types. @defaultValue all */
  types?: readonly string[];
  signal?: AbortSignal;
}

const LONGEST_PAUSE_MS = 30_000;
/** The server sends a comment more often than this. */
const SILENCE_MS = 60_000;

/**
 * The live stream as an endless iterator: it reconnects after the last event that it gave, so that none is missed.
 *
 * @throws UniferumApiError when the key has no right to events; the signal's reason
 */
export async function* listenTo(
  http: Http,
  { lastEventId, types, signal }: EventOptions,
): AsyncGenerator<LiveEvent, void, undefined> {
  let last = lastEventId ?? null;
  for (let failures = 0; ; ) {
    signal?.throwIfAborted();
    try {
      for await (const event of readStream(http, last, signal)) {
        failures = 0;
        signal?.throwIfAborted();
        if (event.id !== null) last = event.id;
        if (event.type !== '' && (types === undefined || types.includes(event.type))) yield event;
      }
    } catch (error) {
      if (signal?.aborted) throw signal.reason;
      if (!(error instanceof UniferumConnectionError)) throw error;
    }
    failures += 1;
    await pause(Math.min(LONGEST_PAUSE_MS, 250 * 2 ** failures), signal);
  }
}

async function* readStream(
  http: Http,
  lastEventId: string | null,
  signal: AbortSignal | undefined,
): AsyncGenerator<LiveEvent> {
  const silence = new AbortController();
  const ends = AbortSignal.any([silence.signal, ...(signal ? [signal] : [])]);
  const response = await http.send('/events', {
    headers: {
      Accept: 'text/event-stream',
      ...(lastEventId !== null && { 'Last-Event-ID': lastEventId }),
    },
    hasTimeout: false,
    signal: ends,
  });
  const reader = response.body?.pipeThrough(new TextDecoderStream() as never).getReader() as
    | ReadableStreamDefaultReader<string>
    | undefined;
  if (!reader) return;
  let text = '';
  let timer: ReturnType<typeof setTimeout> | undefined;
  try {
    for (;;) {
      timer = setTimeout(() => silence.abort(), SILENCE_MS);
      const { done, value } = await reader.read();
      clearTimeout(timer);
      if (done) return;
      const blocks = (text + value).replaceAll('\r\n', '\n').split('\n\n');
      text = blocks.pop() ?? '';
      for (const block of blocks) yield* readBlock(block);
    }
  } catch (error) {
    if (signal?.aborted) throw signal.reason;
    throw new UniferumConnectionError('unreachable', 'The live stream was interrupted.', { cause: error });
  } finally {
    clearTimeout(timer);
    await reader.cancel().catch(() => {});
  }
}

/** Source: WHATWG HTML, 9.2.6 (Interpreting an event stream). A block without data is a comment, or only moves the position. */
function* readBlock(block: string): Generator<LiveEvent> {
  let [id, type, data]: [string | null, string, string | null] = [null, 'message', null];
  for (const line of block.split('\n')) {
    const colon = line.indexOf(':');
    if (colon === 0) continue;
    const field = colon < 0 ? line : line.slice(0, colon);
    const value = colon < 0 ? '' : line.slice(colon + 1).replace(/^ /, '');
    if (field === 'id') id = value;
    else if (field === 'event') type = value;
    else if (field === 'data') data = data === null ? value : `${data}\n${value}`;
  }
  if (data !== null) yield { id, type, data: JSON.parse(data) };
  else if (id !== null) yield { id, type: '', data: {} };
}
