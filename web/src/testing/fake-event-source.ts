/** An event stream controlled by the test. */
export class FakeEventSource extends EventTarget {
  static #opened: FakeEventSource[] = [];
  static readonly CLOSED = 2;
  readonly url: string;
  readyState = 1;
  isClosed = false;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;

  constructor(url: string) {
    super();
    this.url = url;
    FakeEventSource.#opened.push(this);
  }

  /** The most recently opened one. */
  static get last(): FakeEventSource {
    const last = FakeEventSource.#opened.at(-1);
    if (!last) throw new Error('Expected a stream of events, got none');
    return last;
  }

  static forget(): void {
    FakeEventSource.#opened = [];
  }

  /** Emits an event. */
  tell(type: string, data: unknown = {}): void {
    this.dispatchEvent(new MessageEvent(type, { data: JSON.stringify(data) }));
  }

  close(): void {
    this.isClosed = true;
  }
}
