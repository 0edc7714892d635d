import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';
import { eventRoutes } from './routes.js';
import { EventStream } from './stream.js';

/** Events, delivered in order to every listener. */
export function eventsRoom({ db, log }: Services): Room {
  let stream: EventStream | null = null;
  return {
    name: 'events',
    needs: ['access'],
    routes(plugged) {
      const listenedTo = new EventStream(db, log, plugged);
      stream = listenedTo;
      return eventRoutes(listenedTo, plugged.events);
    },
    // Listeners keep their connections open indefinitely, so a server that shuts down closes them first.
    open: async () => async () => stream?.close(),
    close: async () => stream?.close(),
  };
}
