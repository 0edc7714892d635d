import { act, screen, waitFor } from '@testing-library/react';
import type { Run } from '@uniferum/core/runs';
import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { FakeEventSource } from '../testing/fake-event-source.js';
import { show } from '../testing/render.js';
import { useLive, useLiveUpdates } from './live.js';
import type { Station } from './station.js';

function Following() {
  useLiveUpdates();
  return <p>{useLive(({ isConnected }) => (isConnected ? 'connected' : 'cut off'))}</p>;
}

beforeEach(() => {
  vi.useFakeTimers({ shouldAdvanceTime: true });
});
afterEach(() => {
  vi.useRealTimers();
});

/** Counts how often lists are made stale. */
function follow(stations?: readonly Station[]) {
  const { queries, unmount } = show(<Following />, stations && { stations });
  const stale = vi.spyOn(queries, 'invalidateQueries');
  const keys = () => stale.mock.calls.map(([filter]) => filter?.queryKey?.[0] ?? 'all');
  return { queries, keys, unmount, forget: () => stale.mockClear() };
}

test('events that rain in make each list stale once, and not at once', () => {
  const { keys } = follow();
  for (let n = 0; n < 50; n += 1) FakeEventSource.last.tell('asset.created', { id: String(n) });
  FakeEventSource.last.tell('folder.created');
  expect(keys()).toEqual([]);
  act(() => vi.advanceTimersByTime(700));
  expect(keys().sort()).toEqual(['assets', 'flow', 'folders', 'inbox', 'intakes']);
  act(() => vi.advanceTimersByTime(5000));
  expect(keys()).toHaveLength(5);
});

test('what comes later is told with the next batch', () => {
  const { keys, forget } = follow();
  FakeEventSource.last.tell('inbox.changed');
  act(() => vi.advanceTimersByTime(700));
  forget();
  FakeEventSource.last.tell('rules.changed');
  act(() => vi.advanceTimersByTime(699));
  expect(keys()).toEqual([]);
  act(() => vi.advanceTimersByTime(1));
  expect(keys().sort()).toEqual(['flow', 'rules']);
});

test('progress is put among the active runs, the newest run first, without asking the server', () => {
  const { queries } = follow();
  const runs = () => queries.getQueryData<Run[]>(['active-runs'])?.map(({ id, done }) => [id, done]);
  FakeEventSource.last.tell('run.progress', { id: '4', done: 1 });
  FakeEventSource.last.tell('run.progress', { id: '11', done: 0 });
  FakeEventSource.last.tell('run.progress', { id: '4', done: 2 });
  expect(runs()).toEqual([
    ['11', 0],
    ['4', 2],
  ]);
});

test('a lost connection is said; when it is back, everything is read again', async () => {
  const { keys } = follow();
  act(() => FakeEventSource.last.onerror?.());
  expect(screen.getByText('cut off')).toBeVisible();
  act(() => FakeEventSource.last.onopen?.());
  await waitFor(() => expect(screen.getByText('connected')).toBeVisible());
  expect(keys()).toEqual(['all']);
});

test('a station of its own adds its events, and several may share one', () => {
  const notes: Station = { room: 'notes', stale: { 'note.changed': ['notes'], 'asset.purged': ['notes'] } };
  const bin: Station = { room: 'bin', stale: { 'asset.purged': ['bin'] } };
  const { keys } = follow([notes, bin]);
  FakeEventSource.last.tell('asset.purged');
  FakeEventSource.last.tell('note.changed');
  FakeEventSource.last.tell('asset.created');
  act(() => vi.advanceTimersByTime(700));
  expect(keys().sort()).toEqual(['bin', 'notes']);
});

test('leaving closes the stream, and tells nothing more', () => {
  const { keys, unmount } = follow();
  FakeEventSource.last.tell('asset.created');
  unmount();
  expect(FakeEventSource.last.isClosed).toBe(true);
  vi.advanceTimersByTime(5000);
  expect(keys()).toEqual([]);
});
