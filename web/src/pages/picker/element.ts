import type { FromFrame, ToFrame } from './messages.js';
import { isMarked, mark } from './messages.js';

/** The server that the script came from. */
const SCRIPT_ORIGIN = currentOrigin();

function currentOrigin(): string {
  const script = document.currentScript;
  return new URL(script instanceof HTMLScriptElement && script.src ? script.src : window.location.href)
    .origin;
}

const STYLE = `
:host { display: inline-block; }
:host([hidden]) { display: none; }
dialog { width: min(52rem, calc(100vw - 2rem)); height: min(40rem, calc(100vh - 2rem)); padding: 0; border: 1px solid #97a3aa; overflow: hidden; }
dialog::backdrop { background: rgb(18 23 26 / 0.6); }
iframe { display: block; width: 100%; height: 100%; border: 0; }
`;

/**
 * `<uniferum-picker>`: opens the library in a frame, and answers with the event `uniferum-pick`, whose `detail` has the
 * asset, the recipe and its renditions, the alternative text, and HTML.
 *
 * Attributes: `token-url` (an address of the site that answers a POST with `{ token }`), `label` (of the button),
 * `filter` (what is shown first), `sizes` (how wide pictures are shown), `theme` (`light` or `dark`), and `server`,
 * where the script isn't loaded from it. A page can set the property `getToken` instead of `token-url`, and put an
 * element of its own into it instead of the button.
 */
class UniferumPicker extends HTMLElement {
  static readonly observedAttributes = ['label'];

  /** Gets a token for the picker; it is called again when one has expired. */
  declare getToken: (() => Promise<string>) | null;

  readonly #button = document.createElement('button');
  readonly #dialog = document.createElement('dialog');
  #frame: HTMLIFrameElement | null = null;
  #isReady = false;

  constructor() {
    super();
    // A page may have set it before this script was loaded: it must not be written over.
    this.getToken ??= null;
    const root = this.attachShadow({ mode: 'open' });
    // A style element would need the permission of the page's content security policy.
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(STYLE);
    root.adoptedStyleSheets = [sheet];
    const slot = document.createElement('slot');
    this.#button.type = 'button';
    this.#button.part.add('button');
    slot.append(this.#button);
    this.#dialog.part.add('dialog');
    root.append(slot, this.#dialog);
    slot.addEventListener('click', () => this.open());
    this.#dialog.addEventListener('close', () => this.#closed());
    this.attributeChangedCallback();
  }

  connectedCallback(): void {
    window.addEventListener('message', this.#hear);
  }

  disconnectedCallback(): void {
    window.removeEventListener('message', this.#hear);
    this.close();
    this.#frame?.remove();
    this.#frame = null;
  }

  attributeChangedCallback(): void {
    this.#button.textContent = this.getAttribute('label') ?? 'Choose media';
    this.#dialog.setAttribute('aria-label', this.#button.textContent);
  }

  /** Opens the picker. */
  open(): void {
    if (!this.isConnected || this.#dialog.open) return;
    this.#isReady = false;
    this.#frame = document.createElement('iframe');
    this.#frame.part.add('frame');
    this.#frame.title = 'Choose media';
    this.#frame.src = `${this.#server}/picker`;
    this.#dialog.replaceChildren(this.#frame);
    this.#dialog.showModal();
  }

  /** Closes the picker; nothing is chosen. */
  close(): void {
    if (this.#dialog.open) this.#dialog.close();
  }

  get #server(): string {
    const given = this.getAttribute('server');
    return given === null ? SCRIPT_ORIGIN : new URL(given, window.location.href).origin;
  }

  #closed(): void {
    // The event comes later than the closing: it may be open again.
    if (this.#dialog.open) return;
    this.#frame?.remove();
    this.#frame = null;
    this.#say('uniferum-close', null);
  }

  readonly #hear = ({ data, source, origin }: MessageEvent): void => {
    if (!this.#frame || source !== this.#frame.contentWindow || origin !== this.#server || !isMarked(data))
      return;
    const message = data as FromFrame;
    switch (message.type) {
      case 'ready':
      case 'token-needed':
        void this.#sendToken(this.#frame);
        break;
      case 'pick':
        this.close();
        this.#say('uniferum-pick', message.detail);
        break;
      case 'close':
        this.close();
    }
  };

  async #sendToken(frame: HTMLIFrameElement): Promise<void> {
    const message = await this.#tokenMessage();
    // It may have been closed meanwhile.
    if (frame !== this.#frame) return;
    if (message.type === 'failed') this.#say('uniferum-error', { message: message.message });
    else this.#isReady = true;
    frame.contentWindow?.postMessage(mark(message), this.#server);
  }

  async #tokenMessage(): Promise<ToFrame> {
    try {
      const token = await (this.getToken ? this.getToken() : fetchToken(this.getAttribute('token-url')));
      if (this.#isReady) return { type: 'token', token };
      const sizes = this.getAttribute('sizes') ?? '100vw';
      return { type: 'open', token, filter: this.getAttribute('filter') ?? '', sizes, theme: this.#theme };
    } catch (error) {
      return { type: 'failed', message: error instanceof Error ? error.message : String(error) };
    }
  }

  get #theme(): 'light' | 'dark' {
    const given = this.getAttribute('theme');
    if (given === 'light' || given === 'dark') return given;
    return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
  }

  #say(name: string, detail: unknown): void {
    this.dispatchEvent(new CustomEvent(name, { detail, bubbles: true, composed: true }));
  }
}

async function fetchToken(url: string | null): Promise<string> {
  if (url === null)
    throw new Error('<uniferum-picker> needs the attribute token-url or the property getToken.');
  const response = await fetch(url, { method: 'POST', headers: { Accept: 'application/json' } });
  if (!response.ok) throw new Error(`No token: ${url} answered with status ${response.status}.`);
  const body: unknown = await response.json();
  if (typeof body !== 'object' || body === null || !('token' in body) || typeof body.token !== 'string')
    throw new Error(`No token: the answer of ${url} has no "token".`);
  return body.token;
}

if (!customElements.get('uniferum-picker')) customElements.define('uniferum-picker', UniferumPicker);
