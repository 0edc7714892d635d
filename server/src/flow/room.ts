import type { Room } from '../house/room.js';
import { flowRoutes } from './routes.js';

/** The map of where files come from and go to. It knows no room: each contributes its own figures. */
export function flowRoom(): Room {
  return { name: 'flow', needs: [], routes: ({ flow }) => flowRoutes(flow) };
}
