import type { Room } from '../house/room.js';

/** Looks at files that strangers sent, in processes of their own. It offers functions, and contributes nothing else. */
export function inspectionRoom(): Room {
  return { name: 'inspection', needs: ['stores'] };
}
