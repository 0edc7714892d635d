import { act, screen, waitFor } from '@testing-library/react';
import { UniferumConnectionError } from '@uniferum/client';
import { beforeEach, expect, test, vi } from 'vitest';
import { problem } from '../testing/fake-client.js';
import { show } from '../testing/render.js';
import { type ActionCall, useAction } from './use-action.js';

const work = vi.fn<(input: string, call: ActionCall) => Promise<string>>();
const keys = () => work.mock.calls.map(([, { idempotencyKey }]) => idempotencyKey);

beforeEach(() => {
  work.mockReset();
});

function Page({ input = 'nightly' }: { input?: string }) {
  const action = useAction(work);
  return (
    <>
      <button type="button" onClick={() => action.mutate(input)}>
        Make
      </button>
      <output>{action.error?.message ?? action.data}</output>
    </>
  );
}

test('two presses before the answer have one effect', async () => {
  let finish = (_result: string) => {};
  work.mockReturnValue(new Promise((resolve) => (finish = resolve)));
  show(<Page />);
  const button = await screen.findByRole('button', { name: 'Make' });
  // In the same tick, before anything can be drawn as disabled.
  act(() => {
    button.click();
    button.click();
  });
  await waitFor(() => expect(work).toHaveBeenCalled());
  finish('made');
  await screen.findByText('made');
  expect(work).toHaveBeenCalledTimes(1);
});

test('after an answer the next press is another action', async () => {
  work.mockResolvedValue('made');
  const { user } = show(<Page />);
  const button = await screen.findByRole('button', { name: 'Make' });
  await user.click(button);
  await screen.findByText('made');
  await user.click(button);
  await waitFor(() => expect(work).toHaveBeenCalledTimes(2));
  expect(new Set(keys()).size).toBe(2);
});

test('while the server cannot be reached it is tried again under the same key', async () => {
  vi.useFakeTimers({ shouldAdvanceTime: true });
  try {
    const away = new UniferumConnectionError('unreachable', 'The server could not be reached.');
    work.mockRejectedValueOnce(away).mockRejectedValueOnce(away).mockResolvedValue('made');
    show(<Page />);
    (await screen.findByRole('button', { name: 'Make' })).click();
    await vi.advanceTimersByTimeAsync(30_000);
    await screen.findByText('made');
    expect(work).toHaveBeenCalledTimes(3);
    expect(new Set(keys()).size).toBe(1);
  } finally {
    vi.useRealTimers();
  }
});

test('a press after an answer was lost goes on under the same key; after a refusal it does not', async () => {
  work.mockRejectedValueOnce(problem(502, 'A proxy answered.'));
  work.mockRejectedValueOnce(problem(422, 'Refused.'));
  work.mockResolvedValue('made');
  const { user } = show(<Page />);
  const button = await screen.findByRole('button', { name: 'Make' });
  await user.click(button);
  await screen.findByText('A proxy answered.');
  await user.click(button);
  await screen.findByText('Refused.');
  await user.click(button);
  await screen.findByText('made');
  const [first, second, third] = keys();
  expect(second).toBe(first);
  expect(third).not.toBe(second);
});
