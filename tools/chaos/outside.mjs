import { createServer } from 'node:http';
import { Readable } from 'node:stream';
import { setTimeout as delay } from 'node:timers/promises';

/** @typedef {import('./people.mjs').Place} Place */
/** @typedef {import('../random.mjs').Random} Random */

/** A client of the event stream that resumes after interruptions. */
export class Listener {
  /** @type {number[]} */
  heard = [];
  #isListening = true;
  #controller = new AbortController();

  /** @param {{ urls: string[], key: string, random: Random }} options */
  async listen({ urls, key, random }) {
    while (this.#isListening) {
      this.#controller = new AbortController();
      try {
        const response = await fetch(`${random.pick(urls)}/api/v1/events`, {
          headers: {
            Authorization: `Bearer ${key}`,
            ...(this.heard.length > 0 && { 'Last-Event-ID': String(this.heard.at(-1)) }),
          },
          signal: this.#controller.signal,
        });
        if (!response.ok || response.body === null) throw new Error(`answered with ${response.status}`);
        await this.#read(Readable.fromWeb(/** @type {any} */ (response.body)));
      } catch {
        await delay(100);
      }
    }
  }

  /** @param {Readable} stream */
  async #read(stream) {
    let text = '';
    for await (const chunk of stream) {
      text += chunk;
      const end = text.lastIndexOf('\n\n');
      if (end < 0) continue;
      for (const [, id] of text.slice(0, end + 1).matchAll(/^id: (\d+)$/gm)) this.heard.push(Number(id));
      text = text.slice(end + 2);
    }
  }

  stop() {
    this.#isListening = false;
    this.#controller.abort();
  }
}

/** An external site from which files are fetched. */
export async function startOutside() {
  /** @type {Map<string, Buffer>} */
  const files = new Map();
  const server = createServer((req, res) => {
    const data = files.get(decodeURIComponent((req.url ?? '').slice(1)));
    if (!data) res.writeHead(404).end();
    else
      res
        .writeHead(200, { 'Content-Type': 'application/octet-stream', 'Content-Length': data.length })
        .end(data);
  });
  await new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve(undefined)));
  const { port } = /** @type {import('node:net').AddressInfo} */ (server.address());
  return {
    host: `127.0.0.1:${port}`,
    /** @param {string} name @param {Buffer} data */
    offer: (name, data) => {
      files.set(name, data);
      return `http://127.0.0.1:${port}/${name}`;
    },
    close: () => {
      server.closeAllConnections();
      return new Promise((resolve) => server.close(resolve));
    },
  };
}
