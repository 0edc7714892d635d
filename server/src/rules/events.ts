import { defineEvent } from '../events/event-type.js';

export const rulesChanged = defineEvent('rules.changed', 'library:read');
