import { beforeEach, expect, test, vi } from 'vitest';
import { listenToHost, renewToken, tellHost, useHost, withToken } from './host.js';
import { mark, type ToFrame } from './messages.js';

const sent: { message: { type: string }; origin: string }[] = [];
const parent = { postMessage: (message: { type: string }, origin: string) => sent.push({ message, origin }) };
const SITE = 'https://skerry.example';
const OPEN = { type: 'open', token: 'ut_1', filter: 'kind:image', sizes: '50vw', theme: 'dark' } as const;

/** A message as the page with the frame sends it. */
function say(data: object, { origin = SITE, source = parent as unknown } = {}): void {
  const event = new MessageEvent('message', { data, origin });
  Object.defineProperty(event, 'source', { value: source });
  window.dispatchEvent(event);
}
const hear = (message: ToFrame) => say(mark(message));
const types = () => sent.map(({ message, origin }) => `${message.type} ${origin}`);

Object.defineProperty(window, 'parent', { configurable: true, value: parent });
listenToHost();

beforeEach(() => {
  sent.length = 0;
  useHost.setState({ origin: null, token: null, filter: '', sizes: '100vw', failure: null });
});

test('hears only the page that shows it, and keeps to the first origin', () => {
  say(mark(OPEN), { source: window });
  say(OPEN);
  expect(useHost.getState().token).toBeNull();
  hear(OPEN);
  expect(useHost.getState()).toMatchObject({
    origin: SITE,
    token: 'ut_1',
    filter: 'kind:image',
    sizes: '50vw',
  });
  expect(document.documentElement.dataset.theme).toBe('dark');
  say(mark({ type: 'token', token: 'ut_stolen' }), { origin: 'https://other.example' });
  expect(useHost.getState().token).toBe('ut_1');
});

test('tells nothing before it knows to whom, and then to nobody else', () => {
  tellHost({ type: 'close' });
  expect(types()).toEqual([]);
  hear(OPEN);
  tellHost({ type: 'close' });
  expect(types()).toEqual([`close ${SITE}`]);
});

test('asks once for a token that several wait for', async () => {
  hear(OPEN);
  const both = [renewToken(), renewToken()];
  expect(types()).toEqual([`token-needed ${SITE}`]);
  hear({ type: 'token', token: 'ut_2' });
  expect(await Promise.all(both)).toEqual(['ut_2', 'ut_2']);
});

test('a failure is shown where there is no token yet; later, work goes on with the one there is', async () => {
  hear({ type: 'failed', message: 'signed out' });
  expect(useHost.getState().failure).toBe('signed out');
  hear(OPEN);
  expect(useHost.getState().failure).toBeNull();
  const renewed = renewToken();
  hear({ type: 'failed', message: 'offline' });
  expect(await renewed).toBeNull();
  expect(useHost.getState()).toMatchObject({ token: 'ut_1', failure: null });
});

test('a request that is refused is sent again with another token, without a session, and once', async () => {
  hear(OPEN);
  const send = vi.fn(async (_url: unknown, init?: RequestInit) => {
    const headers = new Headers(init?.headers);
    return new Response(null, { status: headers.get('authorization') === 'Bearer ut_2' ? 200 : 401 });
  });
  const answer = withToken(send)('/api', { method: 'POST', headers: { Authorization: 'Bearer ut_1' } });
  await vi.waitFor(() => expect(types()).toEqual([`token-needed ${SITE}`]));
  hear({ type: 'token', token: 'ut_2' });
  expect((await answer).status).toBe(200);
  expect(send.mock.calls.map(([, init]) => [init?.method, init?.credentials])).toEqual([
    ['POST', 'omit'],
    ['POST', 'omit'],
  ]);
});
