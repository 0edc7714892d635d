import type { RequestHandler } from 'express';
import { collectDefaultMetrics, Histogram, Registry } from 'prom-client';

/** The figures of one server process. */
export interface Metrics {
  registry: Registry;
  /** Times every request by method, route and status. */
  timeRequests: RequestHandler;
}

/** Begins to collect figures. */
export function startMetrics(): Metrics {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry });
  const duration = new Histogram({
    name: 'uniferum_http_request_seconds',
    help: 'Time from the arrival of a request to the end of its answer',
    labelNames: ['method', 'route', 'status'],
    buckets: [0.005, 0.02, 0.1, 0.5, 2, 10, 60],
    registers: [registry],
  });
  const timeRequests: RequestHandler = (req, res, next) => {
    const end = duration.startTimer({ method: req.method });
    res.on('finish', () => end({ route: String(req.route?.path ?? 'none'), status: String(res.statusCode) }));
    next();
  };
  return { registry, timeRequests };
}
