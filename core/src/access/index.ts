export { ALL_RIGHTS, type ApiKey, hasRight, type Me, RIGHTS, type Right } from './rights.js';
