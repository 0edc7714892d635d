// @ts-expect-error the tools are JavaScript
import { startStack } from '../tools/stack.mjs';

/** One installation for all browser tests, with a few rules and recipes. */
export default async function globalSetup(): Promise<() => Promise<void>> {
  const stack = await startStack({ name: 'e2e', withSite: true, withBucket: true });
  const call = async (method: string, path: string, json: unknown) => {
    const headers = { Authorization: `Bearer ${stack.key}`, 'Content-Type': 'application/json' };
    const response = await fetch(`${stack.url}/api/v1${path}`, {
      method,
      headers,
      body: JSON.stringify(json),
    });
    if (!response.ok) throw new Error(`${method} ${path}: ${await response.text()}`);
    return response.json();
  };
  for (const [name, width, mode] of [
    ['wide', 900, 'inside'],
    ['column', 400, 'inside'],
    ['tile', 120, 'cover'],
  ]) {
    await call('POST', '/recipes', {
      name,
      title: `The ${name} one`,
      steps: [{ op: 'fit', mode, width, height: width }],
      output: { format: 'webp' },
    });
  }
  const lights = await call('POST', '/folders', { path: '/lights/gannet-head' });
  await call('PUT', `/folders/${lights.id}/rules`, { allow: ['image/*'], maxBytes: 2_000_000 });
  Object.assign(process.env, {
    E2E_URL: stack.url,
    E2E_SITE: stack.site,
    E2E_KEY: stack.key,
    E2E_INBOX: stack.inbox,
    E2E_BUCKET: stack.bucket,
  });
  return stack.close;
}
