import { expect, test } from 'vitest';
import { flowSource } from './flow.js';

test.each([
  ['upload', 'console', 'console'],
  ['upload', 'api', 'script'],
  ['resumable', 'console', 'console'],
  ['resumable', 'api', 'script'],
  ['archive', 'console', 'archive'],
  ['archive', 'api', 'archive'],
  ['link', 'console', 'link'],
] as const)('%s by the %s is counted under %s', (way, via, source) => {
  expect(flowSource(way, via)).toBe(source);
});
