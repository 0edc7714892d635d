import { defineEvent } from '../events/event-type.js';

export const storeChanged = defineEvent('store.changed', 'connections:read');
export const storeDeleted = defineEvent('store.deleted', 'connections:read');
