import { defineEvent } from '../events/event-type.js';

export const linkCreated = defineEvent('link.created', 'library:read');
export const linkDeleted = defineEvent('link.deleted', 'library:read');
