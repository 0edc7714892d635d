import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { ALL_RIGHTS, type Me } from '@uniferum/core/access';
import { beforeEach, expect, test, vi } from 'vitest';
import { answer, callsOf, pageOf } from '../../testing/fake-client.js';
import { asset, folder } from '../../testing/samples.js';
import { renewToken, tellHost, useHost } from './host.js';
import { PickerApp } from './picker-app.js';

vi.mock('../../client.js', () => import('../../testing/fake-client.js'));
vi.mock('./host.js', async (original) => ({
  ...(await original<object>()),
  ...{ tellHost: vi.fn(), renewToken: vi.fn() },
}));

const SCOPE = {
  ...{ folder: '/news', origin: 'https://skerry.example', maxBytes: null, maxItems: null, allow: [] },
  ...{ expiresAt: '2026-11-26T12:00:00.000Z', expiresIn: 3600 },
};
const token = (more: Partial<Me> = {}): Me => ({
  ...{ kind: 'token', id: '1', name: 'Picker (Site)', rights: [...ALL_RIGHTS], scope: SCOPE },
  ...more,
});
const made = {
  ...{
    recipe: 'wide',
    variant: null,
    state: 'fresh' as const,
    url: 'http://skerry.example/media/a~wide.jpg',
    versionedUrl: null,
  },
  ...{ mime: 'image/jpeg', width: 600, height: 400, bytes: 1, error: null },
};
const UNOFFERED = [
  { ...made, recipe: 'other', state: 'on-request' as const, url: null },
  { ...made, recipe: 'third', state: 'surplus' as const },
];
const picture = asset('7', { name: 'dusk.jpg', alt: 'The light', renditions: [made, ...UNOFFERED] });

function show(me: Me, origin = 'https://skerry.example') {
  answer({
    'session.me': me,
    'assets.list': pageOf([picture]),
    'assets.get': picture,
    'folders.list': pageOf([folder('/news')]),
    'recipes.list': pageOf([
      { name: 'wide', title: 'Wide' },
      { name: 'other', title: 'Other' },
    ]),
  });
  useHost.setState({ origin, token: 'ut_x', filter: 'kind:image', sizes: '50vw', failure: null });
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <PickerApp />
    </QueryClientProvider>,
  );
  return userEvent.setup();
}

beforeEach(() => vi.mocked(tellHost).mockClear());

test('shows the folder of the token with the filter of the page', async () => {
  show(token());
  await screen.findByRole('button', { name: 'Choose dusk.jpg' });
  expect(callsOf('assets.list')[0]?.[0]).toMatchObject({ folder: '/news', q: 'kind:image', deep: true });
});

test('hands over the asset, the rendition and HTML as they were chosen', async () => {
  const user = show(token());
  await user.click(await screen.findByRole('button', { name: 'Choose dusk.jpg' }));
  const choices = screen.getByLabelText('Rendition');
  expect([...choices.querySelectorAll('option')].map(({ textContent }) => textContent)).toEqual([
    'Original',
    'Wide',
  ]);
  await user.selectOptions(choices, 'Wide');
  await user.clear(screen.getByLabelText('Alternative text'));
  await user.type(screen.getByLabelText('Alternative text'), 'At dusk');
  await user.click(screen.getByRole('button', { name: 'Insert' }));
  expect(tellHost).toHaveBeenCalledExactlyOnceWith({
    type: 'pick',
    detail: expect.objectContaining({ asset: picture, recipe: 'wide', renditions: [made], alt: 'At dusk' }),
  });
  const [message] = vi.mocked(tellHost).mock.calls[0] ?? [];
  expect(message).toHaveProperty(
    'detail.html',
    expect.stringMatching(/^<img src="[^"]+~wide\.jpg".*alt="At dusk"/),
  );
});

test('without the right to upload there is the library only', async () => {
  show(token({ rights: ['library:read', 'recipes:read'] }));
  await screen.findByRole('button', { name: 'Choose dusk.jpg' });
  expect(screen.queryByRole('button', { name: 'Upload' })).toBeNull();
});

test('a key opens nothing', async () => {
  show(token({ kind: 'key' }));
  expect(await screen.findByRole('alert')).toHaveTextContent('An API key must not be sent to a browser');
  expect(callsOf('assets.list')).toEqual([]);
});

test('a token for another origin opens nothing', async () => {
  show(token(), 'https://elsewhere.example');
  expect(await screen.findByRole('alert')).toHaveTextContent('this one is of https://elsewhere.example');
  expect(callsOf('assets.list')).toEqual([]);
});

test('says why there is no token, and tries again', async () => {
  const user = show(token());
  useHost.setState({ failure: 'No token: /token answered with status 500.' });
  await user.click(await screen.findByRole('button', { name: 'Try again' }));
  expect(renewToken).toHaveBeenCalledOnce();
  expect(screen.getByRole('alert')).toHaveTextContent('status 500');
});

test('replaces the token before it expires, once', async () => {
  vi.useFakeTimers({ shouldAdvanceTime: true });
  vi.mocked(renewToken).mockClear().mockResolvedValue('ut_next');
  show(token({ scope: { ...SCOPE, expiresIn: 600 } }));
  await screen.findByRole('button', { name: 'Choose dusk.jpg' });
  await vi.advanceTimersByTimeAsync(560_000);
  expect(renewToken).not.toHaveBeenCalled();
  await vi.advanceTimersByTimeAsync(20_000);
  expect(renewToken).toHaveBeenCalledOnce();
  expect(callsOf('session.me')).toHaveLength(2);
  vi.useRealTimers();
});
