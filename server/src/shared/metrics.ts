import type { RequestHandler } from 'express';
import * as prometheus from 'prom-client';
import type { Executor } from './database.js';
import type { PooledDatabase } from './pooled-database.js';

/** The metrics of one server process. */
export interface Metrics {
  registry: prometheus.Registry;
  /** Measures every request by method, route and status. */
  timeRequests: RequestHandler;
}

/** A room's metric, read on each scrape. */
export interface Gauge {
  name: string;
  help: string;
  /** The name of its label. */
  label: string;
  /** Its values by label. If this fails, the other metrics are still reported. */
  read(db: Executor): Promise<Record<string, number>>;
}

/** Starts collecting metrics. */
export function startMetrics(db: PooledDatabase, gauges: readonly Gauge[]): Metrics {
  const registry = new prometheus.Registry();
  prometheus.collectDefaultMetrics({ register: registry });
  const duration = new prometheus.Histogram({
    name: 'uniferum_http_request_seconds',
    help: 'Time from the arrival of a request to the end of its answer',
    labelNames: ['method', 'route', 'status'],
    buckets: [0.005, 0.02, 0.1, 0.5, 2, 10, 60],
    registers: [registry],
  });
  new prometheus.Gauge({
    name: 'uniferum_database_waiting',
    help: 'Requests that wait for a connection to the database',
    registers: [registry],
    collect() {
      this.set(db.waiting);
    },
  });
  for (const { name, help, label, read } of gauges)
    new prometheus.Gauge({
      name,
      help,
      labelNames: [label],
      registers: [registry],
      async collect() {
        const values = await read(db).catch((): Record<string, number> => ({}));
        for (const [of, value] of Object.entries(values)) this.set({ [label]: of }, value);
      },
    });
  const timeRequests: RequestHandler = (req, res, next) => {
    const end = duration.startTimer({ method: req.method });
    res.on('finish', () => end({ route: String(req.route?.path ?? 'none'), status: String(res.statusCode) }));
    next();
  };
  return { registry, timeRequests };
}
