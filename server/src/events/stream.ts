import { once } from 'node:events';
import { hasRight, type Right } from '@uniferum/core/access';
import type { Response } from 'express';
import type { Logger } from 'pino';
import type { Database } from '../shared/database.js';
import type { Principal } from '../shared/principal.js';
import type { EventType } from './event-type.js';
import type { LiveSource } from './live-source.js';
import { readEventsAfter, type SequencedEvent, sequenceEvents } from './outbox.js';

/** How often the outbox is read with and without listeners. */
const BUSY_MS = 250;
const IDLE_MS = 2000;
const KEEP_ALIVE_MS = 15_000;
/** How often a listener's rights are checked again. */
const CHECK_MS = 30_000;
/** A listener that reads nothing for this long is disconnected; it resumes with its Last-Event-ID. */
const STALLED_MS = 60_000;
/** The newest events kept in memory for listeners that keep up; others read from the database. */
const KEPT_EVENTS = 1000;
const PAGE = 100;
/** How much is written before checking whether the listener keeps up. */
const WRITTEN_AT_A_TIME = 200_000;

/** Identifies the listener. Checked repeatedly, because keys are revoked and sessions end. */
export type WhoListens = () => Promise<Principal | null>;

interface Listener {
  res: Response;
  who: WhoListens;
  rights: readonly Right[];
  /** The number of the last event sent. */
  position: number;
  isSending: boolean;
  checkedAt: number;
  sentAt: number;
}

/** What becomes obsolete later. */
interface Passing {
  right: Right;
  text: string;
}

/**
 * Sends events to all listeners in commit order. Each listener advances at its own pace from its own position, and
 * uses no more memory than one page of events.
 */
export class EventStream {
  readonly #db: Database;
  readonly #log: Logger;
  readonly #checkMs: number;
  readonly #listeners = new Set<Listener>();
  #kept: SequencedEvent[] = [];
  #newest = 0;
  readonly #rights: ReadonlyMap<string, Right>;
  readonly #live: { source: LiveSource; since: Date | null }[];
  #timer: NodeJS.Timeout | null = null;
  #isClosed = false;
  #isFailing = false;

  /** @param told the types of events, and the live sources sent beside them */
  constructor(
    db: Database,
    log: Logger,
    { events, live }: { events: readonly EventType[]; live: readonly LiveSource[] },
    { checkMs = CHECK_MS }: { checkMs?: number } = {},
  ) {
    this.#rights = new Map(events.map(({ type, right }) => [type, right]));
    this.#live = live.map((source) => ({ source, since: null }));
    this.#db = db;
    this.#log = log;
    this.#checkMs = checkMs;
    this.#schedule();
  }

  /** Adds a listener. @param lastEventId resumes after this event; null starts now */
  async listen(
    res: Response,
    { who, rights, lastEventId }: { who: WhoListens; rights: readonly Right[]; lastEventId: number | null },
  ): Promise<void> {
    await this.#advance();
    // It may have disconnected meanwhile: then its closing would never be noticed.
    if (res.destroyed) return;
    res.writeHead(200, {
      'Content-Type': 'text/event-stream; charset=utf-8',
      'Cache-Control': 'no-store',
      Connection: 'keep-alive',
      'X-Accel-Buffering': 'no',
    });
    res.write('retry: 1000\n\n');
    const listener: Listener = {
      res,
      who,
      rights,
      position: Math.min(lastEventId ?? this.#newest, this.#newest),
      isSending: false,
      checkedAt: Date.now(),
      sentAt: Date.now(),
    };
    this.#listeners.add(listener);
    res.on('close', () => this.#listeners.delete(listener));
    for (const live of this.#live) live.since ??= (await live.source.readSince(this.#db, null)).until;
    this.#sendOn(listener);
    this.#schedule();
  }

  /** Closes all connections. */
  close(): void {
    this.#isClosed = true;
    if (this.#timer) clearTimeout(this.#timer);
    for (const { res } of this.#listeners) res.end();
    this.#listeners.clear();
  }

  /** One timer serves all listeners. */
  #schedule(): void {
    if (this.#timer) clearTimeout(this.#timer);
    if (this.#isClosed) return;
    const isIdle = this.#listeners.size === 0 || this.#isFailing;
    this.#timer = setTimeout(() => void this.#poll(), isIdle ? IDLE_MS : BUSY_MS).unref();
  }

  async #poll(): Promise<void> {
    try {
      await this.#advance();
      const passing = await this.#readLive();
      for (const listener of this.#listeners) {
        this.#sendOn(listener);
        this.#sendPassing(listener, passing);
        void this.#check(listener);
      }
      this.#isFailing = false;
    } catch (error) {
      if (!this.#isFailing && !this.#isClosed) this.#log.error({ err: error }, 'reading events failed');
      this.#isFailing = true;
    } finally {
      this.#schedule();
    }
  }

  /** Numbers newly committed events and keeps the newest ones. */
  async #advance(): Promise<void> {
    this.#newest = Math.max(this.#newest, await sequenceEvents(this.#db));
    if (this.#listeners.size === 0) {
      this.#kept = [];
      for (const live of this.#live) live.since = null;
      return;
    }
    const last = this.#kept.at(-1)?.seq ?? this.#newest - KEPT_EVENTS;
    if (last >= this.#newest) return;
    const from = Math.max(last, this.#newest - KEPT_EVENTS);
    const fresh = await readEventsAfter(this.#db, from, KEPT_EVENTS);
    // Two concurrent reads may have returned the same events.
    const known = this.#kept.at(-1)?.seq ?? 0;
    const before = from === known ? this.#kept : [];
    this.#kept = [...before, ...fresh.filter(({ seq }) => seq > (before.at(-1)?.seq ?? 0))].slice(
      -KEPT_EVENTS,
    );
  }

  /** Reads the live sources. */
  async #readLive(): Promise<Passing[]> {
    return Promise.all(
      this.#live.map(async (live) => {
        const { event, right } = live.source;
        if (live.since === null) return { right, text: '' };
        const { data, until } = await live.source.readSince(this.#db, live.since);
        live.since = until;
        return {
          right,
          text: data.map((one) => `event: ${event}\ndata: ${JSON.stringify(one)}\n\n`).join(''),
        };
      }),
    );
  }

  /** Tells whether a principal may receive a type of event; undeclared types are sent to nobody. */
  #mayKnow({ rights }: Listener, type: string): boolean {
    const right = this.#rights.get(type);
    return right !== undefined && hasRight(rights, right);
  }

  #sendOn(listener: Listener): void {
    if (listener.isSending) return;
    listener.isSending = true;
    this.#sendAll(listener)
      .catch((error) => {
        if (this.#listeners.has(listener)) this.#log.warn({ err: error }, 'a listener was cut off');
        listener.res.destroy();
      })
      .finally(() => {
        listener.isSending = false;
      });
  }

  /** Sends everything after a listener's position, pausing whenever the listener does not keep up. */
  async #sendAll(listener: Listener): Promise<void> {
    while (listener.position < this.#newest && this.#listeners.has(listener)) {
      const events = await this.#eventsAfter(listener.position);
      if (events.length === 0) return;
      let text = '';
      for (const event of events) {
        if (this.#mayKnow(listener, event.type)) text += formatEvent(event);
        if (text.length > WRITTEN_AT_A_TIME) {
          await this.#write(listener, text);
          text = '';
        }
      }
      if (text !== '') await this.#write(listener, text);
      listener.position = events.at(-1)?.seq ?? listener.position;
    }
  }

  async #eventsAfter(position: number): Promise<SequencedEvent[]> {
    const [first] = this.#kept;
    if (first && first.seq <= position + 1) {
      const from = this.#kept.findIndex(({ seq }) => seq > position);
      if (from >= 0) return this.#kept.slice(from, from + PAGE);
    }
    return readEventsAfter(this.#db, position, PAGE);
  }

  async #write(listener: Listener, text: string): Promise<void> {
    const { res } = listener;
    listener.sentAt = Date.now();
    if (res.write(text)) return;
    const patience = new AbortController();
    const timer = setTimeout(() => patience.abort(), STALLED_MS).unref();
    const { signal } = patience;
    try {
      await Promise.race([once(res, 'drain', { signal }), once(res, 'close', { signal })]);
    } finally {
      clearTimeout(timer);
      patience.abort();
    }
  }

  /** Sends live state, unless the listener is behind anyway. */
  #sendPassing(listener: Listener, passing: readonly Passing[]): void {
    const { res } = listener;
    if (res.writableNeedDrain || res.destroyed) return;
    const isQuiet = Date.now() - listener.sentAt > KEEP_ALIVE_MS;
    const text = passing.map((one) => (hasRight(listener.rights, one.right) ? one.text : '')).join('');
    if (text !== '') res.write(text);
    else if (isQuiet) res.write(': still here\n\n');
    else return;
    listener.sentAt = Date.now();
  }

  async #check(listener: Listener): Promise<void> {
    if (Date.now() - listener.checkedAt < this.#checkMs) return;
    listener.checkedAt = Date.now();
    try {
      const who = await listener.who();
      if (who === null || who.kind === 'nobody') listener.res.end();
      else listener.rights = who.rights;
    } catch {
      // The database is unavailable; the next tick tries again.
    }
  }
}

/** One event in the format of WHATWG HTML §9.2.6. */
function formatEvent({ seq, type, at, by, data }: SequencedEvent): string {
  return `id: ${seq}\nevent: ${type}\ndata: ${JSON.stringify({ at, by, ...data })}\n\n`;
}
