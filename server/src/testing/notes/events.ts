import { defineEvent } from '../../events/event-type.js';

export const noteChanged = defineEvent('note.changed', 'library:read');
