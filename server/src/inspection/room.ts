import type { Room } from '../house/room.js';

/** Inspects untrusted files in separate processes. It offers functions and contributes nothing else. */
export function inspectionRoom(): Room {
  return { name: 'inspection', needs: ['stores'] };
}
