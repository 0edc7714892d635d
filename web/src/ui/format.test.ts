import { expect, test } from 'vitest';
import { formatCaptured } from './format.js';

test('a capture time is shown as the camera showed it, wherever one looks at it', () => {
  expect(formatCaptured('2025-06-01T23:30:00')).toBe('1 Jun 2025, 23:30');
  expect(formatCaptured('2025-06-01T23:30:00-09:30')).toBe('1 Jun 2025, 23:30 -09:30');
});
