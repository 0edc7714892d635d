import { UniferumApiError } from '@uniferum/client';
import type { Problem } from '@uniferum/core/shared';

/** The answer of a call: a value, or a function of its arguments. */
type FakeAnswer = unknown | ((...args: never[]) => unknown);

const answers = new Map<string, FakeAnswer>();
const calls: { name: string; args: unknown[] }[] = [];

/** Defines the answers of client calls by name: `assets.list`. Calls without one never finish, as with a slow server. */
export function answer(stated: Record<string, FakeAnswer>): void {
  for (const [name, value] of Object.entries(stated)) answers.set(name, value);
}

/** The arguments of every call with a name, in order. */
export function callsOf(name: string): unknown[][] {
  return calls.filter((call) => call.name === name).map(({ args }) => args);
}

/** The names of all calls that were made. */
export function calledNames(): Set<string> {
  return new Set(calls.map(({ name }) => name));
}

export function forgetAnswers(): void {
  answers.clear();
  calls.length = 0;
}

/** An error answer of the server. */
export function problem(status: number, detail: string, more: Partial<Problem> = {}): UniferumApiError {
  return new UniferumApiError({
    type: 'urn:uniferum:problem:test',
    title: 'A problem',
    status,
    detail,
    instance: '/test',
    code: 'test',
    requestId: 'test',
    ...more,
  });
}

function call(name: string, args: unknown[]): unknown {
  calls.push({ name, args });
  if (!answers.has(name)) return withItems(new Promise(() => {}));
  const stated = answers.get(name);
  const value = typeof stated === 'function' ? (stated as (...given: unknown[]) => unknown)(...args) : stated;
  return withItems(value instanceof Error ? Promise.reject(value) : Promise.resolve(value));
}

/** Lists can be awaited as a page, and iterated item by item. */
function withItems(page: Promise<unknown>): unknown {
  page.catch(() => {});
  return Object.assign(page, {
    async *[Symbol.asyncIterator]() {
      yield* ((await page) as { items: unknown[] }).items;
    },
  });
}

/** A page with everything. */
export function pageOf<Item>(items: readonly Item[], more: object = {}) {
  return { items, total: items.length, next: null, ...more };
}

function resource(path: string): unknown {
  return new Proxy(() => {}, {
    get: (_target, name) =>
      typeof name === 'symbol' || name === 'then'
        ? undefined
        : resource(path === '' ? name : `${path}.${name}`),
    apply: (_target, _self, args) => (path === 'eventsUrl' ? '/api/v1/events' : call(path, args)),
  });
}

/** Replaces the console's client: every call is recorded, and answered as the test defines. */
export const uniferum = resource('');
