import type { Request, RequestHandler, Response } from 'express';

/** Pictures on demand are for viewers on other sites. Source: IIIF Image API 3.0, section 7.1 (CORS). */
const FOR_EVERYBODY = /^\/iiif\//;
const API = /^\/api\/v1\//;

const METHODS = 'GET, HEAD, POST, PUT, PATCH, DELETE';
/** What clients send, those of resumable uploads included. Source: tus 1.0.0, "Cross-Origin Resource Sharing". */
const SENT_HEADERS = [
  ...['Authorization', 'Content-Type', 'Idempotency-Key', 'If-Match', 'If-None-Match', 'If-Range', 'Range'],
  ...['Last-Event-ID', 'Tus-Resumable', 'Upload-Length', 'Upload-Offset', 'Upload-Metadata', 'Upload-Concat'],
  ...['Upload-Defer-Length', 'X-HTTP-Method-Override', 'X-Requested-With', 'X-Request-ID'],
].join(', ');
const ANSWERED_HEADERS = [
  ...['ETag', 'Link', 'Location', 'Retry-After', 'Content-Disposition', 'Content-Range', 'Accept-Ranges'],
  ...['Tus-Resumable', 'Tus-Version', 'Tus-Extension', 'Tus-Max-Size', 'Upload-Offset', 'Upload-Length'],
  ...['Upload-Expires', 'Upload-Metadata', 'X-Request-ID'],
].join(', ');
const PREFLIGHT_SECONDS = '600';

/**
 * Lets browsers use answers on pages of other origins: pictures on demand everywhere, the API on the origins of keys and
 * tokens. Cookies never count there.
 *
 * @param isAllowed whether any key or token may be used on pages of an origin
 */
export function shareAcrossOrigins(isAllowed: (origin: string) => Promise<boolean>): RequestHandler {
  return async (req, res, next) => {
    const origin = req.get('origin');
    const isForEverybody = FOR_EVERYBODY.test(req.path);
    if (isForEverybody) {
      res.setHeader('Access-Control-Allow-Origin', '*');
      res.setHeader('Cross-Origin-Resource-Policy', 'cross-origin');
    } else if (API.test(req.path)) {
      res.vary('Origin');
      if (origin === undefined || !(await isAllowed(origin))) return next();
      res.setHeader('Access-Control-Allow-Origin', origin);
    } else return next();
    res.setHeader('Access-Control-Expose-Headers', ANSWERED_HEADERS);
    if (!asksBefore(req, isForEverybody)) return next();
    answerPreflight(res);
  };
}

/** Source: WHATWG Fetch, 3.3.2 (CORS-preflight request). */
function asksBefore(req: Request, isForEverybody: boolean): boolean {
  return (
    req.method === 'OPTIONS' && (isForEverybody || req.get('access-control-request-method') !== undefined)
  );
}

function answerPreflight(res: Response): void {
  res.setHeader('Access-Control-Allow-Methods', METHODS);
  res.setHeader('Access-Control-Allow-Headers', SENT_HEADERS);
  res.setHeader('Access-Control-Max-Age', PREFLIGHT_SECONDS);
  res.setHeader('Allow', `${METHODS}, OPTIONS`);
  res.status(204).end();
}
