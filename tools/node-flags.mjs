// @ts-check

/**
 * Workers create many short-lived objects while they plan, compare and record: with this much room for them, the garbage
 * collector copies fewer of those that are about to be released. Megabytes; the default of Node is 16.
 */
const WORKER_FLAGS = ['--max-semi-space-size=64'];

/** The flags of Node for a part of Uniferum. @param {string} file the module that it runs */
export function nodeFlags(file) {
  return file.endsWith('worker-main.js') ? WORKER_FLAGS : [];
}
