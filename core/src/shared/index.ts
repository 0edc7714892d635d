export { type EditConflict, type MergedEdit, mergeEdit } from './merge-edit.js';
export type { FieldError, Problem } from './problem.js';
export type { TestStep } from './test-step.js';
