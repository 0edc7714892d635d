import { defineEvent } from '../events/event-type.js';

export const connectionChanged = defineEvent('connection.changed', 'connections:read');
export const connectionDeleted = defineEvent('connection.deleted', 'connections:read');
