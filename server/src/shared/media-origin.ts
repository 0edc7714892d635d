import type { RequestHandler } from 'express';
import type { Addresses } from './config.js';
import { UniferumError } from './errors.js';

/** What is served to visitors of the site. */
const MEDIA = /^\/(?:media|made|iiif)\//;
const HEALTH = /^(?:\/api\/v1)?\/health(?:\/live)?$/;

/** Tells whether media have an origin of their own. */
export function hasMediaOrigin({ publicUrl, mediaUrl }: Addresses): boolean {
  return new URL(publicUrl).host !== new URL(mediaUrl).host;
}

/**
 * Separates media from the console where media have their own origin: that origin serves nothing else, and the
 * console's origin redirects media there. So no uploaded file is ever served from the console's origin.
 */
export function keepApart(addresses: Addresses): RequestHandler {
  const mediaHost = new URL(addresses.mediaUrl).host;
  const isApart = hasMediaOrigin(addresses);
  return (req, res, next) => {
    const isMedia = MEDIA.test(req.path);
    const isOnMediaHost = req.get('host') === mediaHost;
    if (isApart && isOnMediaHost && !isMedia && !HEALTH.test(req.path))
      throw new UniferumError('not-found', 'This origin serves media only.');
    if (isApart && !isOnMediaHost && isMedia) res.redirect(308, addresses.mediaUrl + req.originalUrl);
    else {
      res.locals.mayHoldScripts = isApart && isOnMediaHost;
      next();
    }
  };
}

/** Media types of scripts. Source: WHATWG MIME Sniffing, 4.6 (JavaScript MIME type); WebAssembly Web API for the last. */
const SCRIPTS = new Set([
  ...[
    'application/ecmascript',
    'application/javascript',
    'application/x-ecmascript',
    'application/x-javascript',
  ],
  ...['text/ecmascript', 'text/javascript', 'text/javascript1.0', 'text/javascript1.1', 'text/javascript1.2'],
  ...['text/javascript1.3', 'text/javascript1.4', 'text/javascript1.5', 'text/jscript', 'text/livescript'],
  ...['text/x-ecmascript', 'text/x-javascript', 'application/wasm'],
]);

/** The content type of a served file: on the console's origin, a script would run with the console's privileges. */
export function servedType(mime: string, mayHoldScripts: boolean): string {
  return SCRIPTS.has(mime.toLowerCase()) && !mayHoldScripts ? 'text/plain' : mime;
}
