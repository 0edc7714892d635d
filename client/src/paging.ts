import type { Page } from '@uniferum/core/library';
import type { CallOptions } from './http.js';

/** A list: await it for its first page, iterate over it for all items. */
export class PagedList<Item> implements PromiseLike<Page<Item>>, AsyncIterable<Item> {
  readonly #load: (cursor: string | undefined) => Promise<Page<Item>>;

  /** @param load reads the page after a cursor, or the first one */
  constructor(load: (cursor: string | undefined) => Promise<Page<Item>>) {
    this.#load = load;
  }

  // biome-ignore lint/suspicious/noThenProperty: awaiting a list gives its first page
  then<Fulfilled, Rejected>(
    onFulfilled?: ((page: Page<Item>) => Fulfilled | PromiseLike<Fulfilled>) | null,
    onRejected?: ((reason: unknown) => Rejected | PromiseLike<Rejected>) | null,
  ): Promise<Fulfilled | Rejected> {
    return this.#load(undefined).then(onFulfilled, onRejected);
  }

  async *[Symbol.asyncIterator](): AsyncIterator<Item> {
    let cursor: string | undefined;
    do {
      const page = await this.#load(cursor);
      yield* page.items;
      cursor = page.next ?? undefined;
    } while (cursor !== undefined);
  }
}

export interface Paging {
  /** The page size. @defaultValue 60 */
  limit?: number;
  cursor?: string;
}

/** Requests a list page by page. */
export type ListCall = <Item>(path: string, query: Paging & object, call: CallOptions) => PagedList<Item>;
