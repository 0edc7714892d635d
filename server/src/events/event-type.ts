import type { Right } from '@uniferum/core/access';

/** A type of event, declared by the room that writes it. */
export interface EventType {
  /** Public and never reused: `room.verb`. */
  type: string;
  /** The right required to receive it. */
  right: Right;
}

/** Declares a type of event. */
export function defineEvent(type: string, right: Right): EventType {
  return Object.freeze({ type, right });
}
