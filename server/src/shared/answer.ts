import type { Readable } from 'node:stream';

/** What a handler answers. A stream is sent as it is; `handled` says that the handler has answered itself. */
export interface Answer {
  status: number;
  body?: unknown;
  stream?: Readable;
  headers?: Record<string, string | undefined>;
  handled?: boolean;
}
