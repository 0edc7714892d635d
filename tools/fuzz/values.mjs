// @ts-check
// Values for requests where a schema is not specific enough.

/** Hostile and unusual values. */
export const HOSTILE = [
  null,
  '',
  ' ',
  0,
  -1,
  1.5,
  1e308,
  2 ** 53,
  -(2 ** 63),
  true,
  [],
  {},
  [[]],
  'null',
  '\u0000',
  'a\u0000b',
  '\ud800',
  '\udfff lone',
  '\u202e\u2066',
  'ｆｕｌｌ',
  '😀'.repeat(30),
  '../../../../etc/passwd',
  '..%2f..%2fetc',
  'C:\\aux',
  '/'.repeat(500),
  "' OR 1=1 --",
  '"; DROP TABLE assets; --',
  '%',
  '_',
  '\\',
  '%_\\%',
  '{{7*7}}',
  '<svg onload=alert(1)>',
  '-->',
  '\r\nSet-Cookie: a=b',
  '=cmd|calc',
  '(((((((((((((((((((((',
  'a'.repeat(300),
  'a'.repeat(70_000),
  'ä'.repeat(3000),
  '9'.repeat(400),
  '-0',
  'NaN',
  'Infinity',
  '1e999',
  '0x10',
  '2026-02-30',
  '+275760-09-13T00:00:00.000Z',
  '-271821-04-20T00:00:00Z',
  '0000-00-00',
  'constructor',
  '__proto__',
  'toString',
  Array.from({ length: 3000 }, (_, n) => n),
  nested(120),
];

/** @param {number} depth @returns {unknown} */
export function nested(depth) {
  return depth === 0 ? 'deep' : { a: [nested(depth - 1)] };
}

/** The maximum size of requested pictures: rendering time of large ones is not part of this test. */
export const SMALL_PX = 500;
export const FIELDS =
  'kind type folder size width height ratio title alt caption credit keyword captured added used recipe copy duplicate near x'.split(
    ' ',
  );
export const OPERATORS = [':', '>', '<=', '=', ''];
export const WORDS =
  'image jpg /lights none any 2mb 1e999 -1 3:2 0:0 2025-05..2025-09 today 7d 99999999999d wide=failed ä 😀 server yes 1 1204~64 "a b" "\u0000" ( * %'.split(
    ' ',
  );
export const SOURCES = [
  'data:text/plain,note',
  'data:image/png;base64,AAAA',
  'data:,',
  'http://127.0.0.1:9/a.jpg',
  'http://[::1]/a',
  'http://2130706433/',
  'file:///etc/passwd',
  'gopher://127.0.0.1/',
];

/** Values by field name, where a schema is not specific enough. */
export const BY_NAME = /** @type {Record<string, readonly unknown[]>} */ ({
  source: SOURCES,
  addresses: [SOURCES, SOURCES.slice(0, 2)],
  content: ['source,name\ndata:text/plain,a,a.txt', '[{"source":"data:,x"}]', 'a,b\n"', '', '[[]]', '{}'],
  output: [{ format: 'jpeg', quality: 70 }, { format: 'webp' }, { format: 'png' }],
  document: [{ recipes: [] }, { version: 1, recipes: [] }],
});
export const BY_KIND = /** @type {[RegExp, string][]} */ ([
  [/^(?:folder|path|parent|within|folders|target)$/i, 'folder'],
  [/^(?:recipe|recipes|name)$/i, 'recipe'],
  [/^(?:asset|assets|ids|id)$/i, 'asset'],
  [/^cursor$/i, 'cursor'],
  [/^(?:intake)$/i, 'intake'],
  [/^(?:reason)$/i, 'reason'],
  [/^(?:kind)$/i, 'kind'],
  [/^(?:email)$/i, 'email'],
  [/^(?:password)$/i, 'password'],
]);
