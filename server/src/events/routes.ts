import { hasRight, type Right } from '@uniferum/core/access';
import { authenticate } from '../access/principal.js';
import { UniferumError } from '../shared/errors.js';
import { API_BASE, type Route, route } from '../shared/route.js';
import type { EventType } from './event-type.js';
import type { EventStream } from './stream.js';

/** @param events the types of events that the stream may contain */
export function eventRoutes(stream: EventStream, events: readonly EventType[]): Route[] {
  const rights = [...new Set(events.map(({ right }) => right))].sort();
  return [
    route({
      method: 'get',
      path: `${API_BASE}/events`,
      access: 'known',
      atOnce: 30,
      summary:
        'Stream events (server-sent events); resumes after Last-Event-ID. Each event requires the right to read its subject',
      headers: {
        'Last-Event-ID': {
          description: 'the id of the last event that was received: the stream begins after it',
          example: '1204',
        },
      },
      answers: {
        200: {
          description:
            'An endless stream. Each event has an id (none for what only concerns the moment, such as progress), its type as "event", and its data as JSON',
          contentType: 'text/event-stream',
        },
      },
      async handle({ services: { db, config }, who, req, res }) {
        if (!rights.some((right) => hasRight(who.rights, right)))
          throw new UniferumError(
            'right-missing',
            `${who.name} has none of the rights that events need: ${quoteRights(rights)}.`,
          );
        await stream.listen(res, {
          who: () => authenticate(db, req, config.publicUrl),
          rights: who.rights,
          lastEventId: readLastEventId(req.get('last-event-id')),
        });
        return { status: 200, handled: true };
      },
    }),
  ];
}

function quoteRights(rights: readonly Right[]): string {
  const quoted = rights.map((right) => `"${right}"`);
  return quoted.length < 2 ? quoted.join('') : `${quoted.slice(0, -1).join(', ')} or ${quoted.at(-1)}`;
}

/** @throws UniferumError `malformed-request` when it is not the number of an event */
function readLastEventId(value: string | undefined): number | null {
  if (value === undefined || value === '') return null;
  if (!/^\d{1,15}$/.test(value))
    throw new UniferumError(
      'malformed-request',
      'The Last-Event-ID is not one of an event. Send the last "id" that this stream gave, or none.',
    );
  return Number(value);
}
