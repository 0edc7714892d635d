export { ALL_RIGHTS, type ApiKey, hasRight, type Me, RIGHTS, type Right } from './rights.js';
export { isInScope, type TokenScope } from './token-scope.js';
