import { UniferumConnectionError } from '@uniferum/client';
import type { Verdict } from '@uniferum/core/intake';
import { beforeEach, expect, test, vi } from 'vitest';

const calls = {
  check: vi.fn(),
  begin: vi.fn(),
  upload: vi.fn(),
  uploadResumably: vi.fn(),
};
vi.mock('../client.js', () => ({
  uniferum: {
    intakes: { checkIn: calls.check, begin: calls.begin },
    assets: { upload: calls.upload, uploadResumably: calls.uploadResumably },
  },
}));
const { useUploads } = await import('./uploads.js');

const memory = new Map<string, string>();
vi.stubGlobal('localStorage', {
  getItem: (key: string) => memory.get(key) ?? null,
  setItem: (key: string, value: string) => memory.set(key, value),
  removeItem: (key: string) => memory.delete(key),
});

const verdictOf = (name: string, outcome: Verdict['outcome'] = 'accepted'): Verdict => ({
  name,
  outcome,
  reasons: [],
});

/** A file of a size that no memory has to hold. */
function file(name: string, bytes = 10, path = ''): File {
  const one = new File([], name, { lastModified: 1 });
  Object.defineProperties(one, { size: { value: bytes }, webkitRelativePath: { value: path } });
  return one;
}
const LARGE = 40 * 1024 * 1024;

const add = (files: File[], unpack = false) => useUploads.getState().add('/lights', files, { unpack });
const states = () => useUploads.getState().uploads.map(({ file: { name }, state }) => `${name} ${state}`);
const settled = () => vi.waitFor(() => expect(useUploads.getState().progress.isSending).toBe(false));

/** A promise that a test lets go. */
function held(): { promise: Promise<void>; resolve: () => void } {
  let resolve = () => {};
  const promise = new Promise<void>((done) => {
    resolve = done;
  });
  return { promise, resolve };
}

beforeEach(() => {
  useUploads.setState({ uploads: [] });
  memory.clear();
  for (const call of Object.values(calls)) call.mockReset();
  calls.begin.mockResolvedValue({ id: '7' });
  calls.check.mockImplementation(async (_intake: string, { files }: { files: { name: string }[] }) => ({
    verdicts: files.map(({ name }) => verdictOf(name, name.endsWith('.exe') ? 'refused' : 'accepted')),
  }));
  calls.upload.mockImplementation(async ({ files }: { files: { name: string }[] }) =>
    files.map(({ name }, index) => ({ name, verdict: verdictOf(name), asset: { id: String(index) } })),
  );
  calls.uploadResumably.mockImplementation(async ({ name }: { name: string }) => ({
    verdict: verdictOf(name),
    asset: '9',
    intake: '7',
    run: null,
  }));
});

test('what the rules refuse by name is shown and not sent; the rest goes in one batch', async () => {
  add([file('a.jpg'), file('b.exe'), file('c.jpg')]);
  await settled();
  expect(states()).toEqual(['a.jpg arrived', 'b.exe refused', 'c.jpg arrived']);
  const [request] = calls.upload.mock.calls[0] ?? [];
  expect(request.files.map(({ name }: { name: string }) => name)).toEqual(['a.jpg', 'c.jpg']);
  expect(request.intake).toBe('7');
});

test('folders that were dropped become folders, each judged by its own rules', async () => {
  add([file('a.jpg', 10, 'gannet/near/a.jpg'), file('b.jpg', 10, 'whin/b.jpg'), file('c.jpg')]);
  await settled();
  expect(calls.check.mock.calls.map(([, { folder }]) => folder)).toEqual([
    '/lights/gannet/near',
    '/lights/whin',
    '/lights',
  ]);
});

test('a large file goes in pieces, a small one does not', async () => {
  add([file('film.webm', LARGE), file('a.jpg')]);
  await settled();
  expect(calls.uploadResumably.mock.calls.map(([{ name, intake }]) => [name, intake])).toEqual([
    ['film.webm', '7'],
  ]);
  expect(calls.upload).toHaveBeenCalledTimes(1);
});

test('an archive is unpacked only when that is wanted', async () => {
  add([file('views.zip')]);
  await settled();
  expect(calls.upload).toHaveBeenCalledTimes(1);
  add([file('views.zip')], true);
  await settled();
  expect(calls.uploadResumably.mock.calls[0]?.[0]).toMatchObject({ name: 'views.zip', unpack: true });
});

test('what a lost connection interrupted is sent again once it is back, as the same request', async () => {
  calls.upload.mockRejectedValueOnce(new UniferumConnectionError('unreachable', 'The line is cut.'));
  add([file('a.jpg'), file('b.jpg')]);
  await settled();
  expect(states()).toEqual(['a.jpg broken', 'b.jpg broken']);
  useUploads.getState().resume();
  await settled();
  expect(states()).toEqual(['a.jpg arrived', 'b.jpg arrived']);
  const [first, second] = calls.upload.mock.calls.map(([request]) => request);
  // Had the first one come in and only its answer been lost, nothing would be there twice.
  expect(second.idempotencyKey).toBe(first.idempotencyKey);
  expect(second.intake).toBe(first.intake);
  expect(second.files).toEqual(first.files);
  expect(calls.begin).toHaveBeenCalledTimes(1);
});

test('what the server has refused is not sent again by itself', async () => {
  calls.upload.mockRejectedValueOnce(new Error('The store is full.'));
  add([file('a.jpg')]);
  await settled();
  useUploads.getState().resume();
  await settled();
  expect(states()).toEqual(['a.jpg broken']);
  expect(calls.upload).toHaveBeenCalledTimes(1);
});

test('signing out stops what is being sent, and forgets the list', async () => {
  const line = held();
  calls.upload.mockImplementationOnce(async ({ signal }: { signal: AbortSignal }) => {
    await line.promise;
    signal.throwIfAborted();
  });
  add([file('a.jpg'), file('b.jpg')]);
  await vi.waitFor(() => expect(calls.upload).toHaveBeenCalled());
  useUploads.getState().forget();
  line.resolve();
  await settled();
  expect(useUploads.getState().uploads).toEqual([]);
});

test('after a broken connection a large file goes on where it was', async () => {
  calls.uploadResumably.mockImplementationOnce(async ({ onBegun }: { onBegun: (url: string) => void }) => {
    onBegun('http://skerry.example/api/v1/uploads/abc');
    throw new UniferumConnectionError('unreachable', 'The line is cut.');
  });
  add([file('film.webm', LARGE)]);
  await settled();
  expect(useUploads.getState().uploads[0]).toMatchObject({ state: 'broken', error: 'The line is cut.' });
  calls.uploadResumably.mockRejectedValueOnce(new UniferumConnectionError('unreachable', 'Cut again.'));
  useUploads.getState().retry();
  await settled();
  useUploads.getState().retry();
  await settled();
  expect(calls.uploadResumably.mock.calls.map(([{ url }]) => url)).toEqual([
    undefined,
    'http://skerry.example/api/v1/uploads/abc',
    'http://skerry.example/api/v1/uploads/abc',
  ]);
  expect(states()).toEqual(['film.webm arrived']);
  expect(memory.size).toBe(0);
});

test('stopping breaks off what is on its way, and sending again brings it', async () => {
  calls.upload.mockImplementationOnce(
    ({ signal }: { signal: AbortSignal }) =>
      new Promise((_resolve, reject) => {
        signal.addEventListener('abort', () => reject(signal.reason));
        useUploads.getState().stop();
      }),
  );
  add([file('a.jpg'), file('b.jpg')]);
  await settled();
  expect(states()).toEqual(['a.jpg broken', 'b.jpg broken']);
  useUploads.getState().retry();
  await settled();
  expect(states()).toEqual(['a.jpg arrived', 'b.jpg arrived']);
});

test('what is refused before it is sent belongs to the intake, also when nothing is left to send', async () => {
  add([file('b.exe')]);
  await settled();
  expect(states()).toEqual(['b.exe refused']);
  expect(calls.check.mock.calls[0]?.[0]).toBe('7');
  expect(calls.upload).not.toHaveBeenCalled();
});

test('stopping in the middle of the check leaves nothing waiting', async () => {
  const { promise, resolve } = held();
  calls.check.mockImplementationOnce(async (_intake: string, { files }: { files: { name: string }[] }) => {
    await promise;
    return { verdicts: files.map(({ name }) => verdictOf(name)) };
  });
  add([file('a.jpg')]);
  await vi.waitFor(() => expect(calls.check).toHaveBeenCalled());
  useUploads.getState().stop();
  resolve();
  await settled();
  expect(states()).toEqual(['a.jpg broken']);
  expect(calls.upload).not.toHaveBeenCalled();
});

test('a batch that was stopped while it waited for another is not sent, and once when it is sent again', async () => {
  const { promise, resolve } = held();
  calls.begin.mockImplementationOnce(async () => {
    await promise;
    return { id: '7' };
  });
  add([file('a.jpg')]);
  add([file('b.jpg')]);
  await vi.waitFor(() => expect(calls.begin).toHaveBeenCalledTimes(1));
  useUploads.getState().stop();
  resolve();
  await settled();
  expect(states()).toEqual(['a.jpg broken', 'b.jpg broken']);
  useUploads.getState().retry();
  await settled();
  expect(states()).toEqual(['a.jpg arrived', 'b.jpg arrived']);
  const sent = calls.upload.mock.calls.flatMap(([{ files }]) =>
    files.map(({ name }: { name: string }) => name),
  );
  expect(sent.sort()).toEqual(['a.jpg', 'b.jpg']);
});

test('refused files go to another folder with the folders that they came in, and only they', async () => {
  add([file('a.jpg'), file('b.exe', 10, 'gannet/b.exe')]);
  await settled();
  calls.check.mockImplementation(async (_intake: string, { files }: { files: { name: string }[] }) => ({
    verdicts: files.map(({ name }) => verdictOf(name)),
  }));
  useUploads.getState().sendElsewhere('/tools');
  await settled();
  expect(states()).toEqual(['a.jpg arrived', 'b.exe arrived']);
  expect(calls.begin.mock.calls.map(([folder]) => folder)).toEqual(['/lights', '/tools']);
  expect(calls.upload.mock.calls.at(-1)?.[0].files).toMatchObject([
    { name: 'b.exe', folder: '/tools/gannet' },
  ]);
});

test('progress counts the bytes of what is wanted, in the order in which they leave', async () => {
  const seen: number[][] = [];
  calls.upload.mockImplementationOnce(
    async ({ files, onProgress }: { files: { name: string }[]; onProgress: (bytes: number) => void }) => {
      for (const sent of [5, 15, 20]) {
        onProgress(sent);
        seen.push(useUploads.getState().uploads.map(({ sentBytes }) => sentBytes));
      }
      return files.map(({ name }) => ({ name, verdict: verdictOf(name), asset: { id: '1' } }));
    },
  );
  add([file('a.jpg'), file('b.jpg'), file('c.exe', 1000)]);
  await settled();
  expect(seen).toEqual([
    [5, 0, 0],
    [10, 5, 0],
    [10, 10, 0],
  ]);
  expect(useUploads.getState().progress).toMatchObject({ sentBytes: 20, totalBytes: 20 });
});
