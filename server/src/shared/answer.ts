import type { Readable } from 'node:stream';

/** A handler's answer. A stream is sent as it is; `handled` means that the handler has answered itself. */
export interface Answer {
  status: number;
  body?: unknown;
  stream?: Readable;
  headers?: Record<string, string | undefined>;
  handled?: boolean;
}
