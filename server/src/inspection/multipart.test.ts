import { PassThrough } from 'node:stream';
import type { Request } from 'express';
import { expect, test, vi } from 'vitest';
import { readMultipart } from './multipart.js';

/** A request with a multipart body, as far as its reader looks at it. */
function requestOf({ complete }: { complete: boolean }) {
  return Object.assign(new PassThrough(), {
    complete,
    headers: { 'content-type': 'multipart/form-data; boundary=x' },
    get: () => 'multipart/form-data; boundary=x',
  });
}

test('a body that broke off before it is read is an error, and is not waited for', async () => {
  const req = requestOf({ complete: false });
  req.destroy();
  await new Promise((resolve) => req.once('close', resolve));
  const onFile = vi.fn();
  await expect(readMultipart(req as unknown as Request, onFile)).rejects.toThrow();
  expect(onFile).not.toHaveBeenCalled();
});

test('a body that is complete is read', async () => {
  const req = requestOf({ complete: true });
  req.end('--x\r\nContent-Disposition: form-data; name="folder"\r\n\r\n/lights\r\n--x--\r\n');
  const { fields } = await readMultipart(req as unknown as Request, vi.fn());
  expect([...(fields as Iterable<[string, string]>)]).toEqual([['folder', '/lights']]);
});
