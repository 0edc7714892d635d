import { vi } from 'vitest';

// Tests that share their modules must share what stands in for one of them, too.
vi.mock('../client.js', () => import('./fake-client.js'));
