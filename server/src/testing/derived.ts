import { type Answer, form, photo, startTestServer, type TestServer } from './harness.js';

/** An installation for testing recipes, with shortcuts. */
export interface Atelier {
  server: TestServer;
  api(method: string, path: string, json?: unknown): Promise<Answer>;
  /** Sends a request without a key. */
  publicly(path: string): Promise<Answer>;
  /** Uploads a picture, a different one for each seed. @returns the asset */
  // biome-ignore lint/suspicious/noExplicitAny: tests look into answers freely
  addPicture(folder: string, name: string, seed: number, width?: number): Promise<any>;
  /** The states of an asset's files, by recipe and variant. */
  renditionsOf(id: string): Promise<Record<string, string>>;
  /** The path of a complete address. */
  pathOf(url: string): string;
}

export async function openAtelier(): Promise<Atelier> {
  const server = await startTestServer();
  const api: Atelier['api'] = (method, path, json) =>
    server.call(method, `/api/v1${path}`, json === undefined ? {} : { json });
  return {
    server,
    api,
    publicly: (path) => server.call('GET', path, { key: null }),
    pathOf: (url) => url.replace(server.url, ''),
    addPicture: async (folder, name, seed, width = 900) =>
      (
        await server.call('POST', '/api/v1/assets', {
          body: form(folder, [{ name, data: await photo(width, Math.round(width / 1.5), seed) }]),
        })
      ).body,
    renditionsOf: async (id) => {
      const { body } = await api('GET', `/assets/${id}`);
      return Object.fromEntries(
        body.renditions.map(({ recipe, variant, state }: Record<string, string>) => [
          variant ? `${recipe}.${variant}` : recipe,
          state,
        ]),
      );
    },
  };
}

/** A recipe for one folder that limits the width of pictures. */
export function recipe(name: string, folder: string, width: number, more: object = {}) {
  return {
    name,
    title: name,
    folders: [folder],
    steps: [{ op: 'fit', mode: 'inside', width }],
    output: { format: 'jpeg', quality: 80 },
    ...more,
  };
}
