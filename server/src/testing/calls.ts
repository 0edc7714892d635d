import type { TestServer } from './harness.js';

export const api = '/api/v1';
export const bytes = (text: string) => Buffer.from(text);
export const codes = (verdict: { reasons: { code: string }[] }) =>
  verdict.reasons.map(({ code }) => code).join();

export async function collect(stream: NodeJS.ReadableStream): Promise<Buffer> {
  const parts: Buffer[] = [];
  for await (const part of stream) parts.push(part as Buffer);
  return Buffer.concat(parts);
}

/** Requests that tests of the library use repeatedly. */
export function callsOf(getServer: () => TestServer) {
  const call: TestServer['call'] = (...request) => getServer().call(...request);

  async function filesOf(
    intake: string,
  ): Promise<{ name: string; outcome: string; codes: string; bytes: number }[]> {
    const { body } = await call('GET', `${api}/intakes/${intake}/files?limit=500`);
    return body.items.map(
      (file: { verdict: { name: string; outcome: string; reasons: { code: string }[] }; bytes: number }) => ({
        name: file.verdict.name,
        outcome: file.verdict.outcome,
        codes: codes(file.verdict),
        bytes: file.bytes,
      }),
    );
  }

  async function assetsOf(
    folder: string,
    deep = true,
  ): Promise<{ name: string; folder: { path: string }; [key: string]: unknown }[]> {
    const { body } = await call(
      'GET',
      `${api}/assets?folder=${encodeURIComponent(folder)}&deep=${deep}&sort=name&limit=500`,
    );
    return body.items ?? [];
  }

  async function setRules(path: string, rules: object): Promise<void> {
    const { id } = (await call('POST', `${api}/folders`, { json: { path } })).body;
    await call('PUT', `${api}/folders/${id}/rules`, { json: rules });
  }

  return { filesOf, assetsOf, setRules };
}
