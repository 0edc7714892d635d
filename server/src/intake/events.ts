import { defineEvent } from '../events/event-type.js';

export const inboxChanged = defineEvent('inbox.changed', 'library:read');

/** Files of an intake were refused; accepted ones have events of their own. */
export const intakeChanged = defineEvent('intake.changed', 'library:read');
