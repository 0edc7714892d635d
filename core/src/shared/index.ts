export type { FieldError, Problem } from './problem.js';
