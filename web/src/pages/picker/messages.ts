import type { PickedMedia } from '@uniferum/core/pages';

/** From the frame to the element that shows it. */
export type FromFrame =
  | { type: 'ready' }
  | { type: 'token-needed' }
  | { type: 'pick'; detail: PickedMedia }
  | { type: 'close' };

/** From the element to its frame. */
export type ToFrame =
  | { type: 'open'; token: string; filter: string; sizes: string; theme: 'light' | 'dark' }
  | { type: 'token'; token: string }
  /** No token could be had. */
  | { type: 'failed'; message: string };

const MARK = 'uniferum-picker';

/** Marks a message, because other scripts of a page send messages too. */
export function mark<Message>(message: Message): Message & { from: typeof MARK } {
  return { ...message, from: MARK };
}

/** Tells whether data that arrived is one of these messages. */
export function isMarked(data: unknown): boolean {
  return typeof data === 'object' && data !== null && 'from' in data && data.from === MARK;
}
