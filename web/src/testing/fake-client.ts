import { UniferumApiError } from '@uniferum/client';
import type { Problem } from '@uniferum/core/shared';

/** What a call answers: a value, or what makes one of its arguments. */
type FakeAnswer = unknown | ((...args: never[]) => unknown);

const answers = new Map<string, FakeAnswer>();
const calls: { name: string; args: unknown[] }[] = [];

/**
 * States what calls of the client answer, by their names: `assets.list`. What is not stated is never answered, as by a server
 * that takes its time.
 */
export function answer(stated: Record<string, FakeAnswer>): void {
  for (const [name, value] of Object.entries(stated)) answers.set(name, value);
}

/** The arguments of every call of a name, in their order. */
export function callsOf(name: string): unknown[][] {
  return calls.filter((call) => call.name === name).map(({ args }) => args);
}

export function forgetAnswers(): void {
  answers.clear();
  calls.length = 0;
}

/** What the server refuses with. */
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

/** Lists can be awaited as a page, and gone through item by item. */
function withItems(page: Promise<unknown>): unknown {
  page.catch(() => {});
  return Object.assign(page, {
    async *[Symbol.asyncIterator]() {
      yield* ((await page) as { items: unknown[] }).items;
    },
  });
}

/** A page that holds all there is. */
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

/** Stands in for the console's client: every call is remembered, and answered as a test states. */
export const uniferum = resource('');
