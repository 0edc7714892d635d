import { act, screen } from '@testing-library/react';
import { beforeEach, expect, test, vi } from 'vitest';
import { sessionBegan, useSession } from '../access/session.js';
import { answer, callsOf, forgetAnswers, pageOf, problem } from '../testing/fake-client.js';
import { FakeEventSource } from '../testing/fake-event-source.js';
import { showRoutes } from '../testing/render.js';
import { useLive } from './live.js';
import { Shell } from './shell.js';

const me = { kind: 'user', id: '1', name: 'Edda', rights: ['library:read'] };

beforeEach(() => {
  forgetAnswers();
  answer({ 'runs.list': pageOf([]) });
  useLive.setState({ isConnected: true });
  useSession.setState({ hasEnded: false });
});

async function open() {
  const shown = showRoutes(
    [{ path: '/', element: <Shell />, children: [{ path: 'work', element: <input aria-label="Work" /> }] }],
    { at: '/work' },
  );
  const work = await screen.findByLabelText<HTMLInputElement>('Work');
  await shown.user.type(work, 'half a sentence');
  return { ...shown, work };
}

const typed = () => screen.getByLabelText<HTMLInputElement>('Work').value;

test('a failed refresh of who is signed in takes nothing away', async () => {
  const { queries } = await open();
  answer({ 'session.me': problem(503, 'The database is away.') });
  await act(() => queries.invalidateQueries({ queryKey: ['me'] }));
  expect(typed()).toBe('half a sentence');
});

test('a dropped stream is said in the bar of runs, and takes nothing away', async () => {
  await open();
  act(() => FakeEventSource.last.onerror?.());
  expect(screen.getByText(/Offline/)).toBeTruthy();
  expect(typed()).toBe('half a sentence');
  act(() => FakeEventSource.last.onopen?.());
  expect(screen.queryByText(/Offline/)).toBeNull();
});

test('when the session ends, the sign-in opens over the work; afterwards the work goes on', async () => {
  const { user } = await open();
  sessionBegan();
  act(() => useSession.setState({ hasEnded: true }));
  await screen.findByRole('dialog', { name: 'Your session has ended' });
  answer({ 'session.signIn': undefined, 'session.me': me });
  await user.type(screen.getByLabelText('Password'), 'secret');
  await user.type(screen.getByLabelText('Email'), 'edda@skerry.example');
  await user.click(screen.getByRole('button', { name: 'Sign in' }));
  await vi.waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  expect(callsOf('session.signIn')).toHaveLength(1);
  expect(typed()).toBe('half a sentence');
});
