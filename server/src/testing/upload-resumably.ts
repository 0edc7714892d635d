import type { Verdict } from '@uniferum/core/intake';
import * as tus from 'tus-js-client';
import { api } from './calls.js';
import type { TestServer } from './harness.js';

interface ResumableFile {
  name: string;
  data: Buffer;
  folder: string;
}

/** Uploads a file by tus with an independent client, and requests the result. */
export async function uploadResumably(
  server: TestServer,
  { name, data, folder }: ResumableFile,
): Promise<{ asset: string | null; verdict: Verdict }> {
  const key = await server.key();
  const url = await new Promise<string>((resolve, reject) => {
    const upload = new tus.Upload(data, {
      endpoint: `${server.url}${api}/uploads`,
      headers: { Authorization: `Bearer ${key}` },
      metadata: { filename: name, folder },
      retryDelays: [0, 200, 500],
      onError: reject,
      onSuccess: () => resolve(upload.url ?? ''),
    });
    upload.start();
  });
  for (;;) {
    const { status, body, headers } = await server.call('GET', `${new URL(url).pathname}/result`, { key });
    if (status === 200) return body;
    if (status !== 409) throw new Error(`The result of ${name} was answered with ${status}.`);
    await new Promise((resolve) => setTimeout(resolve, Number(headers.get('retry-after') ?? 1) * 1000));
  }
}
