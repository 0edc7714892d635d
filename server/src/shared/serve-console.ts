import { join } from 'node:path';
import express, { type Express, type Response } from 'express';
import staticGzip from 'express-static-gzip';

/** The console is a single-page application: any path that is not a file or part of the API returns its page. */
export function serveConsole(server: Express, webDir: string): void {
  // The build puts compressed files beside the others.
  server.use(
    '/assets',
    staticGzip(join(webDir, 'assets'), {
      index: false,
      enableBrotli: true,
      orderPreference: ['br', 'gz'],
      serveStatic: { immutable: true, maxAge: '1y', index: false },
    }),
  );
  server.get('/picker', (_req, res) => {
    mayBeFramed(res);
    res.sendFile('picker.html', { root: webDir, headers: { 'Cache-Control': 'no-cache' } });
  });
  server.get('/picker.js', (_req, res) => {
    // Pages of other sites load the script.
    res.setHeader('Cross-Origin-Resource-Policy', 'cross-origin');
    res.sendFile('picker.js', { root: webDir, headers: { 'Cache-Control': 'no-cache' } });
  });
  server.use(express.static(webDir, { index: false }));
  server.get(/^\/(?!api\/|media\/|made\/|iiif\/|assets\/)/, (req, res, next) => {
    if (!req.accepts('html')) next();
    else res.sendFile('index.html', { root: webDir, headers: { 'Cache-Control': 'no-cache' } });
  });
}

/**
 * Lets other sites show a page in a frame. The page of the picker acts with a token of the site that shows it and never
 * with a session, so a page that frames it gains nothing.
 */
function mayBeFramed(res: Response): void {
  res.removeHeader('X-Frame-Options');
  const policy = String(res.getHeader('Content-Security-Policy'));
  res.setHeader(
    'Content-Security-Policy',
    policy.replace("frame-ancestors 'none'", 'frame-ancestors http: https:'),
  );
}
