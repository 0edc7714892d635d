// @ts-check
// Generates complete requests: path, query, headers and body, each valid or not.

/** @typedef {import('../random.mjs').Random} Random */

/**
 * @typedef {object} Request
 * @property {string} method
 * @property {string} path
 * @property {Record<string, string>} headers
 * @property {BodyInit | undefined} body
 * @property {boolean} isFitting nothing in it was spoilt on purpose
 */

/** The share of invalid values. */
const SPOILT = 0.35;
/** The kind of ids in a path. */
const OWNERS = /^\/(?:api\/v1|iiif)\/(?:3|([a-z]+))/;
const SINGULAR = /** @type {Record<string, string>} */ ({
  assets: 'asset',
  folders: 'folder-id',
  intakes: 'intake',
  runs: 'run',
  filters: 'filter',
  uploads: 'upload',
  keys: 'key',
});

export class RequestMaker {
  /**
   * @param {object} options
   * @param {import('./generate.mjs').Generator} options.generator
   * @param {Random} options.random
   * @param {import('./generate.mjs').Known} options.known
   * @param {readonly Buffer[]} options.files
   * @param {readonly (string | null)[]} options.keys
   */
  constructor({ generator, random, known, files, keys }) {
    this.generator = generator;
    this.random = random;
    this.known = known;
    this.files = files;
    this.keys = keys;
  }

  /** @param {any} route @returns {Request} */
  make(route) {
    const isFitting = this.random.next() > SPOILT;
    const body = this.#body(route, isFitting);
    return {
      method: route.method.toUpperCase(),
      path: this.#path(route, isFitting) + this.#query(route, isFitting),
      headers: { ...this.#headers(route, isFitting), ...body.headers },
      body: body.body,
      isFitting,
    };
  }

  /** @param {any} route @param {boolean} isFitting */
  #path(route, isFitting) {
    const made =
      isFitting && route.path.startsWith('/made/') ? this.known.pick('made', this.random) : undefined;
    if (made !== undefined) return `/made/${made}`;
    const owner = SINGULAR[OWNERS.exec(route.path)?.[1] ?? 'assets'] ?? '';
    return route.path.replace(
      /\{(\w+)(\*?)\}/g,
      (/** @type {string} */ _, /** @type {string} */ name, /** @type {string} */ rest) => {
        const value = this.#parameter(name, owner, isFitting);
        return rest ? value.split('/').map(encode).join('/') : encode(value);
      },
    );
  }

  /** @param {string} name @param {string} owner @param {boolean} isFitting */
  #parameter(name, owner, isFitting) {
    const { random, known } = this;
    if (!isFitting && random.next() < 0.5) return String(this.generator.hostile()).slice(0, 1200);
    const kind =
      /** @type {Record<string, string>} */ ({ id: owner, name: 'recipe', recipe: 'recipe', path: 'media' })[
        name
      ] ?? name;
    const plain = /** @type {Record<string, readonly string[]>} */ ({
      n: ['1', '2', '9'],
      region: ['full', 'square', '0,0,10,10', 'pct:10,10,50,50', '9999,0,1,1'],
      size: ['max', '10,', '^500,', '^!400,400', '!20,20', 'pct:50', '99999,', '^99999,'],
      rotation: ['0', '90', '!0', '22.5', '-1'],
      file: ['default.jpg', 'gray.png', 'bitonal.webp', 'color.tif', 'x'],
      signature: ['0'.repeat(32)],
      spec: ['w=10', 'w=10&h=10.jpg', 'x'],
    })[name];
    return (plain ? random.pick(plain) : known.pick(kind, random)) ?? String(random.between(1, 60));
  }

  /** @param {any} route @param {boolean} isFitting */
  #query(route, isFitting) {
    if (!route.query) return this.random.next() < 0.05 ? '?a=1&a=2&__proto__=x' : '';
    const { generator } = this;
    const value = generator.fitting(route.query.describe());
    const query = isFitting || this.random.next() < 0.5 ? value : generator.spoilt(value);
    const text = Object.entries(typeof query === 'object' && query !== null ? query : { q: query })
      .map(
        ([key, one]) =>
          `${encode(key)}=${encode(typeof one === 'string' ? one : JSON.stringify(one)).slice(0, 6000)}`,
      )
      .join('&');
    return text === '' ? '' : `?${text}`;
  }

  /** @param {any} route @param {boolean} isFitting */
  #headers(route, isFitting) {
    const { random } = this;
    const key = isFitting ? this.keys[0] : random.pick(this.keys);
    /** @type {Record<string, string>} */
    const headers = key ? { Authorization: `Bearer ${key}` } : {};
    if (route.method === 'post' && random.next() < 0.2)
      headers['Idempotency-Key'] = random.pick(['a', 'b', 'c', `k${random.below(1e6)}`]);
    if (random.next() < 0.1)
      headers['If-Match'] = random.pick(['*', '"1"', 'W/"x"', '"', ',', 'a'.repeat(900)]);
    if (random.next() < 0.1)
      headers.Range = random.pick([
        'bytes=0-',
        'bytes=5-1',
        'bytes=-0',
        'bytes=0-0,2-3',
        'lines=1',
        'bytes=99999999999-',
      ]);
    if (random.next() < 0.05) headers['If-None-Match'] = random.pick(['*', '"1"', '"a","b"']);
    if (random.next() < 0.05)
      headers.Accept = random.pick(['text/html', 'image/avif,image/webp', '*/*;q=x', 'a'.repeat(500)]);
    if (random.next() < 0.03)
      headers.Cookie = `uniferum_session=${random.pick(['x', '%', 'a'.repeat(3000)])}`;
    if (/uploads/.test(route.path)) {
      const { 'Upload-Length': length, ...others } = this.#resumableHeaders(isFitting);
      Object.assign(headers, others, (route.method === 'post' || !isFitting) && { 'Upload-Length': length });
    }
    if (/events$/.test(route.path) && random.next() < 0.5)
      headers['Last-Event-ID'] = random.pick(['1', '0', '-1', 'x', '9'.repeat(30)]);
    return headers;
  }

  /** @param {boolean} isFitting */
  #resumableHeaders(isFitting) {
    const { random } = this;
    const text = (/** @type {string} */ value) => Buffer.from(value).toString('base64');
    return {
      'Tus-Resumable': isFitting ? '1.0.0' : random.pick(['1.0.0', '0.2.2', '']),
      'Upload-Length': random.pick(isFitting ? ['0', '10', '5'] : ['-1', 'x', '1e3', '9'.repeat(30), '0']),
      'Upload-Offset': random.pick(isFitting ? ['0', '5'] : ['-1', 'x', '99', '']),
      'Upload-Metadata': isFitting
        ? `filename ${text('fuzz.txt')},folder ${text(this.known.pick('folder', random) ?? '/')}`
        : random.pick([
            '',
            'filename',
            'filename !!!',
            `filename ${text('a/../b')}`,
            `folder ${text('//')}`,
            'a '.repeat(2000),
            ',,,',
          ]),
    };
  }

  /** @param {any} route @param {boolean} isFitting @returns {{ headers: Record<string, string>, body: BodyInit | undefined }} */
  #body(route, isFitting) {
    const { random } = this;
    if (route.method === 'get' || route.method === 'head') return { headers: {}, body: undefined };
    if (/uploads/.test(route.path) && route.method === 'patch')
      return {
        headers: { 'Content-Type': 'application/offset+octet-stream' },
        body: random.pick(['', 'hello', 'hello world']),
      };
    const schema = route.alternativeBody && random.next() < 0.4 ? route.alternativeBody : route.body;
    if (schema && (!route.multipart || schema === route.alternativeBody))
      return this.#json(schema, isFitting);
    if (route.multipart) return this.#form(route.multipart, isFitting);
    return { headers: {}, body: undefined };
  }

  /** @param {any} schema @param {boolean} isFitting */
  #json(schema, isFitting) {
    const { random, generator } = this;
    const value = generator.fitting(schema.describe());
    const headers = { 'Content-Type': 'application/json' };
    if (isFitting) return { headers, body: JSON.stringify(value) };
    const text = JSON.stringify(generator.spoilt(value));
    const chance = random.next();
    if (chance < 0.05) return { headers, body: text.slice(0, random.below(text.length + 1)) };
    if (chance < 0.08) return { headers, body: `{"__proto__":${text},"constructor":{"prototype":1}}` };
    if (chance < 0.1) return { headers, body: '['.repeat(random.pick([10, 5000, 100_000])) };
    if (chance < 0.12) return { headers, body: /** @type {any} */ (random.bytes(200)) };
    if (chance < 0.15)
      return {
        headers: {
          'Content-Type': random.pick([
            'text/plain',
            'application/json; charset=utf-7',
            'x',
            'multipart/form-data',
          ]),
        },
        body: text,
      };
    return { headers, body: text };
  }

  /** @param {any} schema @param {boolean} isFitting */
  #form(schema, isFitting) {
    const { random, generator } = this;
    if (!isFitting && random.next() < 0.2)
      return {
        headers: {
          'Content-Type': random.pick([
            'multipart/form-data; boundary=x',
            'multipart/form-data',
            'application/octet-stream',
          ]),
        },
        body: random.pick([
          '',
          '--x',
          '--x\r\nContent-Disposition: form-data; name="file"; filename="a"\r\n\r\nabc',
          '--x--\r\n',
          'abc',
        ]),
      };
    const form = new FormData();
    const fields = generator.fitting(schema.describe());
    for (const [name, value] of Object.entries(fields)) {
      if (name === 'file') continue;
      const sent = isFitting || random.next() < 0.6 ? value : generator.hostile();
      form.append(name, typeof sent === 'string' ? sent.toWellFormed() : JSON.stringify(sent));
    }
    for (let n = random.between(isFitting ? 1 : 0, 3); n > 0; n -= 1) {
      const name = isFitting
        ? `f-${random.below(1e6)}.jpg`
        : String(generator.hostile()).slice(0, 300).toWellFormed();
      form.append('file', new Blob([/** @type {any} */ (random.pick(this.files))]), name);
    }
    return { headers: {}, body: form };
  }
}

/** @param {string} text */
function encode(text) {
  return encodeURIComponent(String(text).toWellFormed());
}
