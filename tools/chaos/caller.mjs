// @ts-check
// Calls an installation whose servers are being killed: retries on the other server until there is a response.
import { setTimeout as delay } from 'node:timers/promises';

/** A request without a response by then counts as hung. */
const PATIENCE_MS = 120_000;
/** Requests sent here never take this long; a longer one will get no response. */
const ANSWER_MS = 40_000;
const AGAIN = new Set([408, 409, 412, 429, 503, 507]);

/**
 * @typedef {object} Request
 * @property {string} method
 * @property {string} path below `/api/v1`
 * @property {unknown} [json]
 * @property {() => BodyInit} [body] made anew for each attempt
 * @property {string} [once] the Idempotency-Key
 * @property {Record<string, string>} [headers]
 * @property {number[]} [also] answers that are no surprise, beside 2xx
 */

/** The failures during calls, and their counts. */
export class Caller {
  /** @type {string[]} */
  faults = [];
  requests = 0;
  attempts = 0;
  slowest = { request: '', ms: 0, told: /** @type {Record<string, number>} */ ({}) };
  #isPatient = true;

  /** @param {{ urls: string[], key: string, random: import('../random.mjs').Random }} options */
  constructor({ urls, key, random }) {
    this.urls = urls;
    this.key = key;
    this.random = random;
  }

  giveUp() {
    this.#isPatient = false;
  }

  /**
   * Repeats a request until there is a response.
   *
   * @param {Request} request
   * @returns {Promise<{ status: number, body: any, headers: Headers }>}
   */
  async ask({ method, path, json, body, once, headers = {}, also = [] }) {
    this.requests += 1;
    const began = Date.now();
    let last = 'nothing';
    /** @type {Record<string, number>} */
    const told = {};
    while (this.#isPatient && Date.now() - began < PATIENCE_MS) {
      this.attempts += 1;
      const answer = await this.#attempt(method, path, {
        headers: {
          ...(json !== undefined && { 'Content-Type': 'application/json' }),
          ...(once !== undefined && { 'Idempotency-Key': once }),
          ...headers,
        },
        body: json !== undefined ? JSON.stringify(json) : body?.(),
      });
      const what = String(answer?.status ?? 'broken off');
      told[what] = (told[what] ?? 0) + 1;
      if (answer === null) {
        await delay(this.random.between(50, 300));
        continue;
      }
      const { status } = answer;
      if ((status >= 200 && status < 300) || also.includes(status)) {
        this.#note(`${method} ${path}`, Date.now() - began, told);
        return answer;
      }
      last = `${status} ${JSON.stringify(answer.body)}`;
      if (!AGAIN.has(status)) {
        this.faults.push(`${method} ${path} was answered with ${last}`);
        if (status < 500) throw new Error(this.faults.at(-1));
      }
      await delay(Math.min(1000, 1000 * Number(answer.headers.get('retry-after') ?? 0.2)));
    }
    const fault = `${method} ${path} had no answer in ${Math.round((Date.now() - began) / 1000)} s, the last one was ${last}`;
    this.faults.push(fault);
    throw new Error(fault);
  }

  /** @param {string} request @param {number} ms @param {Record<string, number>} told what it was told until it was answered */
  #note(request, ms, told) {
    if (ms > this.slowest.ms) this.slowest = { request, ms, told };
  }

  /** @param {string} method @param {string} path @param {{ headers: Record<string, string>, body: BodyInit | undefined }} request */
  async #attempt(method, path, { headers, body }) {
    try {
      const response = await fetch(`${this.random.pick(this.urls)}/api/v1${path}`, {
        method,
        headers: { Authorization: `Bearer ${this.key}`, ...headers },
        ...(body !== undefined && { body }),
        signal: AbortSignal.timeout(ANSWER_MS),
      });
      const text = await response.text();
      const isJson = /json/.test(response.headers.get('content-type') ?? '');
      return {
        status: response.status,
        headers: response.headers,
        body: isJson && text !== '' ? JSON.parse(text) : text,
      };
    } catch (error) {
      if (error instanceof Error && error.name === 'TimeoutError')
        this.faults.push(`${method} ${path} was left without an answer for ${ANSWER_MS / 1000} s`);
      return null;
    }
  }

  /** Waits until a run has ended. @param {string} id */
  async waitForRun(id) {
    for (;;) {
      const { body } = await this.ask({ method: 'GET', path: `/runs/${id}` });
      if (!['waiting', 'working', 'stopping'].includes(body.state)) return body;
      await delay(150);
    }
  }

  /** All of a list. @param {string} path @returns {Promise<any[]>} */
  async list(path) {
    const items = [];
    for (let cursor = ''; ; ) {
      const join = path.includes('?') ? '&' : '?';
      const { body } = await this.ask({
        method: 'GET',
        path: `${path}${join}limit=500${cursor && `&cursor=${encodeURIComponent(cursor)}`}`,
      });
      items.push(...body.items);
      if (body.next === null) return items;
      cursor = body.next;
    }
  }
}
