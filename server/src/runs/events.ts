import { defineEvent } from '../events/event-type.js';

export const runCreated = defineEvent('run.created', 'runs:read');
export const runChanged = defineEvent('run.changed', 'runs:read');
export const runEnded = defineEvent('run.ended', 'runs:read');
