import type { HistoryEvent } from '@uniferum/core';
import type { Response } from 'express';
import type { Logger } from 'pino';
import { databaseNow } from '../runs/lease-queries.js';
import { listRunsChangedSince, toRunAnswer } from '../runs/queries.js';
import type { Database } from '../shared/database.js';
import { newestEventId, readEventsAfter } from './outbox.js';
import { OutboxReader } from './outbox-reader.js';

const POLL_MS = 250;
const KEEP_ALIVE_MS = 15_000;

/** A client that reads too slowly is cut off at this many unsent bytes; it comes back with its Last-Event-ID. */
const MAX_BACKLOG_BYTES = 4_000_000;

/** Sends what happens to everybody who listens. Reads the outbox only while somebody does, so every server can have one. */
export class EventStream {
  readonly #db: Database;
  readonly #log: Logger;
  readonly #listeners = new Set<Response>();
  #timer: NodeJS.Timeout | null = null;
  #isPolling = false;
  #reader: OutboxReader | null = null;
  #runsSeenAt: Date | null = null;
  #lastSentAt = 0;

  constructor(db: Database, log: Logger) {
    this.#db = db;
    this.#log = log;
  }

  /** Adds a listener, and first sends what it missed since `lastEventId`. */
  async listen(res: Response, lastEventId: number | null): Promise<void> {
    res.writeHead(200, {
      'Content-Type': 'text/event-stream; charset=utf-8',
      'Cache-Control': 'no-store',
      Connection: 'keep-alive',
      'X-Accel-Buffering': 'no',
    });
    res.write('retry: 1000\n\n');
    if (lastEventId !== null)
      for (const event of await readEventsAfter(this.#db, lastEventId)) res.write(formatEvent(event));
    this.#listeners.add(res);
    res.on('close', () => this.#listeners.delete(res));
    if (this.#timer === null) {
      this.#reader = new OutboxReader(await newestEventId(this.#db));
      this.#runsSeenAt = await databaseNow(this.#db);
      this.#timer = setInterval(() => void this.#poll(), POLL_MS);
    }
  }

  /** Ends all connections. */
  close(): void {
    if (this.#timer) clearInterval(this.#timer);
    this.#timer = null;
    for (const res of this.#listeners) res.end();
    this.#listeners.clear();
  }

  async #poll(): Promise<void> {
    if (this.#isPolling || this.#reader === null) return;
    if (this.#listeners.size === 0) {
      if (this.#timer) clearInterval(this.#timer);
      this.#timer = null;
      return;
    }
    this.#isPolling = true;
    try {
      const events = this.#reader.take(await readEventsAfter(this.#db, this.#reader.floor), Date.now());
      this.#send(events.map(formatEvent).join('') + (await this.#readProgress()));
    } catch (error) {
      this.#log.error({ err: error }, 'reading events failed');
    } finally {
      this.#isPolling = false;
    }
  }

  /** Progress changes many times a second and is nobody's history: it is read from the runs and not from the outbox. */
  async #readProgress(): Promise<string> {
    const since = this.#runsSeenAt;
    if (since === null) return '';
    const rows = await listRunsChangedSince(this.#db, since);
    const last = rows.at(-1);
    if (!last) return '';
    this.#runsSeenAt = last.updated_at;
    const now = Date.now();
    return rows
      .map((row) => `event: run.progress\ndata: ${JSON.stringify(toRunAnswer(row, now))}\n\n`)
      .join('');
  }

  #send(text: string): void {
    const isQuiet = text === '';
    if (isQuiet && Date.now() - this.#lastSentAt < KEEP_ALIVE_MS) return;
    this.#lastSentAt = Date.now();
    for (const res of this.#listeners) {
      if (res.writableLength > MAX_BACKLOG_BYTES) res.destroy();
      else res.write(isQuiet ? ': still here\n\n' : text);
    }
  }
}

/** One event as WHATWG HTML §9.2.6 writes it. */
function formatEvent(event: HistoryEvent): string {
  return `id: ${event.id}\nevent: ${event.type}\ndata: ${JSON.stringify({ at: event.at, by: event.by, ...event.data })}\n\n`;
}
