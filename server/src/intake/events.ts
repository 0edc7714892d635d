import { defineEvent } from '../events/event-type.js';

export const inboxChanged = defineEvent('inbox.changed', 'library:read');

/** Files were refused that belong to an intake; what came in tells of itself. */
export const intakeChanged = defineEvent('intake.changed', 'library:read');
