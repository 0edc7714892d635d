import type { Room } from '../house/room.js';
import type { Services } from '../shared/services.js';
import { eventRoutes } from './routes.js';
import { EventStream } from './stream.js';

/** What happens, told in order to everybody who listens. */
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
    // Whoever listens keeps the connection open for ever: a server that ends cuts it first.
    open: async () => async () => stream?.close(),
    close: async () => stream?.close(),
  };
}
