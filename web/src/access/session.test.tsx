import { beforeEach, describe, expect, test, vi } from 'vitest';
import { sessionBegan, sessionLeft, useSession, withSession } from './session.js';

const ok = () => new Response('{}');
const unauthorised = () => new Response('{}', { status: 401 });
const send = vi.fn<typeof fetch>();
const request = (init?: RequestInit) => withSession(send)('http://skerry.example/api/v1/assets/7', init);
const hasEnded = () => useSession.getState().hasEnded;

beforeEach(() => {
  send.mockReset();
  sessionLeft();
});

describe('a request of the console', () => {
  test('waits for a sign-in when the session has ended, and is sent again with its body', async () => {
    sessionBegan();
    send.mockResolvedValueOnce(unauthorised()).mockResolvedValueOnce(ok());
    const answer = request({ method: 'PATCH', body: '{"alt":"A light"}' });
    await vi.waitFor(() => expect(hasEnded()).toBe(true));
    expect(send).toHaveBeenCalledTimes(1);
    sessionBegan();
    expect((await answer).status).toBe(200);
    expect(hasEnded()).toBe(false);
    expect(send.mock.calls[1]?.[1]).toMatchObject({ method: 'PATCH', body: '{"alt":"A light"}' });
  });

  test('all that wait go on after one sign-in', async () => {
    sessionBegan();
    send
      .mockResolvedValueOnce(unauthorised())
      .mockResolvedValueOnce(unauthorised())
      .mockImplementation(async () => ok());
    const answers = [request(), request()];
    await vi.waitFor(() => expect(send).toHaveBeenCalledTimes(2));
    sessionBegan();
    expect((await Promise.all(answers)).map(({ status }) => status)).toEqual([200, 200]);
  });

  test('has its time limit anew: that of the first attempt ran out while signing in', async () => {
    sessionBegan();
    const limit = new AbortController();
    send.mockResolvedValueOnce(unauthorised()).mockResolvedValueOnce(ok());
    const answer = request({ signal: limit.signal });
    await vi.waitFor(() => expect(hasEnded()).toBe(true));
    limit.abort(new DOMException('Too long.', 'TimeoutError'));
    sessionBegan();
    await answer;
    expect(send.mock.calls[1]?.[1]?.signal ?? null).toBeNull();
  });

  test('that was given up meanwhile stays given up', async () => {
    sessionBegan();
    const given = new AbortController();
    send.mockResolvedValueOnce(unauthorised()).mockResolvedValueOnce(ok());
    const answer = request({ signal: given.signal });
    await vi.waitFor(() => expect(hasEnded()).toBe(true));
    given.abort();
    sessionBegan();
    await answer;
    expect(send.mock.calls[1]?.[1]?.signal?.aborted).toBe(true);
  });

  test('is answered at once before anybody has signed in', async () => {
    send.mockResolvedValue(unauthorised());
    expect((await request()).status).toBe(401);
    expect(hasEnded()).toBe(false);
  });

  test('a wrong password is no ended session', async () => {
    sessionBegan();
    send.mockResolvedValue(unauthorised());
    const answer = await withSession(send)('http://skerry.example/api/v1/session', { method: 'POST' });
    expect(answer.status).toBe(401);
    expect(hasEnded()).toBe(false);
  });
});
