import type { Output } from './output.js';

/** Prints the steps of a test. @returns whether all passed */
export function printSteps(
  output: Output,
  steps: readonly { name: string; ok: boolean; message: string }[],
): boolean {
  for (const { name, ok, message } of steps) output.out(`${ok ? 'ok    ' : 'FAILED'}  ${name}: ${message}`);
  return steps.every(({ ok }) => ok);
}
