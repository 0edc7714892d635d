import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A site on loopback with configurable answers. */
export interface OutsideSite {
  /** Its origin, without a trailing slash. */
  url: string;
  host: string;
  /** Its answers by path. */
  pages: Map<string, (req: IncomingMessage, res: ServerResponse) => void>;
  close(): void;
}

export async function startOutsideSite(): Promise<OutsideSite> {
  const pages: OutsideSite['pages'] = new Map();
  const server = createServer((req, res) => {
    const page = pages.get(new URL(req.url ?? '/', 'http://x').pathname);
    if (page) page(req, res);
    else res.writeHead(404).end();
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    url: `http://${host}`,
    host,
    pages,
    close() {
      server.closeAllConnections();
      server.close();
    },
  };
}
