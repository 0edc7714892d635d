import { defineEvent } from '../events/event-type.js';

export const assetCreated = defineEvent('asset.created', 'library:read');
export const assetChanged = defineEvent('asset.changed', 'library:read');
export const assetBinned = defineEvent('asset.deleted', 'library:read');
export const assetRestored = defineEvent('asset.restored', 'library:read');
export const assetReplaced = defineEvent('asset.replaced', 'library:read');
export const assetPurged = defineEvent('asset.purged', 'library:read');
export const folderCreated = defineEvent('folder.created', 'library:read');
export const folderChanged = defineEvent('folder.changed', 'library:read');
export const folderDeleted = defineEvent('folder.deleted', 'library:read');
export const settingsChanged = defineEvent('settings.changed', 'library:read');
