import { defineEvent } from '../events/event-type.js';

export const sourceChanged = defineEvent('source.changed', 'pages:read');
export const sourceDeleted = defineEvent('source.deleted', 'pages:read');
export const sourceIndexed = defineEvent('source.indexed', 'pages:read');
export const pageChanged = defineEvent('page.changed', 'pages:read');
export const pageDeleted = defineEvent('page.deleted', 'pages:read');
export const siteAssetsChanged = defineEvent('site-assets.changed', 'pages:read');
export const siteAssetsDeleted = defineEvent('site-assets.deleted', 'pages:read');
