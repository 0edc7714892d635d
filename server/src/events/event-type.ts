import type { Right } from '@uniferum/core/access';

/** A type of event, as the room that writes it states it. */
export interface EventType {
  /** Public, and never reused: `room.verb`. */
  type: string;
  /** The right without which nobody is told. */
  right: Right;
}

/** States a type of event. */
export function defineEvent(type: string, right: Right): EventType {
  return Object.freeze({ type, right });
}
