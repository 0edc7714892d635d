// A site's own server: it serves a folder of pages, and gives each visitor a token for uploads. The key stays here.
//   node examples/site/server.mjs examples/plain-page /letters
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { createServer } from 'node:http';
import { extname, join, normalize, resolve, sep } from 'node:path';
import { fileURLToPath } from 'node:url';
import { createClient } from '@uniferum/client';

const [pages = '.', folder = '/letters'] = process.argv.slice(2);
const { UNIFERUM_URL: url, UNIFERUM_KEY: key, PORT: port = '8080' } = process.env;
// Where visitors see the pages.
const origin = process.env.SITE_ORIGIN ?? `http://127.0.0.1:${port}`;
const uniferum = createClient({ baseUrl: url, key });
const client = fileURLToPath(new URL('.', import.meta.resolve('@uniferum/client')));
const TYPES = { '.html': 'text/html', '.js': 'text/javascript', '.css': 'text/css' };

createServer(async (request, response) => {
  try {
    const { pathname } = new URL(request.url ?? '/', 'http://site');
    if (request.method === 'POST' && pathname === '/upload-token') await giveToken(response);
    else await sendFile(pathname, response);
  } catch (error) {
    console.error(error);
    response.writeHead(500).end('Something went wrong. Try again later.');
  }
}).listen(Number(port), '127.0.0.1', () => console.log(`${origin}/`));

async function giveToken(response) {
  const { token } = await uniferum.uploadTokens.make({
    folder,
    // Only pages of this site can use it.
    origin,
    maxItems: 20,
    maxBytes: 20_000_000,
    allow: ['image/*'],
    expiresIn: 600,
  });
  response.writeHead(200, { 'Content-Type': 'application/json', 'Cache-Control': 'no-store' });
  response.end(JSON.stringify({ baseUrl: url, folder, token }));
}

async function sendFile(pathname, response) {
  const isClient = pathname.startsWith('/uniferum-client/');
  const root = resolve(isClient ? client : pages);
  const inside = isClient ? pathname.slice('/uniferum-client'.length) : pathname;
  const path = join(root, normalize(decodeURIComponent(inside)), inside.endsWith('/') ? 'index.html' : '');
  const info = await stat(path).catch(() => null);
  if (!info?.isFile() || !path.startsWith(root + sep)) {
    response.writeHead(404).end('Not found');
    return;
  }
  response.writeHead(200, { 'Content-Type': TYPES[extname(path)] ?? 'application/octet-stream' });
  createReadStream(path).pipe(response);
}
