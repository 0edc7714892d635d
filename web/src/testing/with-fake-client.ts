import { vi } from 'vitest';

// What stands in for the client in all tests of the console but those that name it themselves.
vi.mock('../client.js', () => import('./fake-client.js'));
