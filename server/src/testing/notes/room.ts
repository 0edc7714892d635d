import type { Room } from '../../house/room.js';
import type { Services } from '../../shared/services.js';
import { noteChanged } from './events.js';
import { noteFilter } from './filter.js';
import { noteField, noteGuard, noteListener } from './library.js';
import { deleteNotes, listOrphans } from './queries.js';
import { noteRoutes } from './routes.js';
import { clearNotes, clearNotesHandler } from './run-kind.js';

/** Notes on assets: an example of a room. It uses every joint, and no file of another room refers to it. */
export function notesRoom({ db }: Services): Room {
  return {
    name: 'notes',
    needs: ['events', 'runs', 'library'],
    runs: [clearNotes],
    events: [noteChanged],
    library: {
      fields: [noteField],
      guards: [noteGuard],
      listeners: [noteListener],
      filters: [noteFilter],
    },
    routes: () => noteRoutes,
    handlers: () => [clearNotesHandler],
    sweeps: () => [
      { name: 'notes of assets that are gone', run: async () => deleteNotes(db, await listOrphans(db)) },
    ],
  };
}
