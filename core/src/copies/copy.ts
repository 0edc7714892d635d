/** What is known about one copy of some bytes in one store. */
export const COPY_STATES = [
  /** It is to be stored; nothing was sent yet. */
  'wanted',
  /** It is on its way. */
  'uploading',
  /** It is stored, and was whole when it was looked at last. */
  'stored',
  /** It is missing there, or its bytes are other ones. */
  'damaged',
  /** It is to be deleted. */
  'removing',
] as const;
export type CopyState = (typeof COPY_STATES)[number];

/** A copy as far as plans about it need it. */
export interface Copy {
  store: string;
  state: CopyState;
}

/** Copies from which the bytes can be read. */
export function goodCopies<One extends Copy>(copies: readonly One[]): One[] {
  return copies.filter(({ state }) => state === 'stored');
}
