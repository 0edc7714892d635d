export { makeKey, makeUser } from './access/service.js';
export { ALL_ROUTES, type App, createApp } from './app.js';
export { type Config, readConfig } from './config.js';
export { type Database, openDatabase } from './shared/database.js';
export { migrate } from './shared/migrate.js';
export { DiskStore } from './stores/disk-store.js';
export { createEngine } from './worker.js';
