import { describe, expect, test } from 'vitest';
import { findReferences, formatOfFile } from './find-references.js';
import type { DocumentFormat } from './reference.js';

const read = (format: DocumentFormat, text: string, encoding: string | null = null) =>
  findReferences({ text, format, encoding });
/** What is found, as written in the document and as read: `attribute: written` or `attribute: written → read`. */
function found(format: DocumentFormat, text: string, encoding: string | null = null): string[] {
  return read(format, text, encoding).references.map(({ from, to, address, attribute, descriptor }) => {
    const written = text.slice(from, to);
    const place = `${attribute}${descriptor ? ` ${descriptor}` : ''}`;
    return `${place}: ${written}${written === address ? '' : ` → ${address}`}`;
  });
}

/** Source: WHATWG HTML, index of attributes; SVG 2, 16.1; the Open Graph protocol. */
describe('in HTML', () => {
  test.each<[string, string[]]>([
    ['<img src=a.jpg>', ['img src: a.jpg']],
    [`<img src='a.jpg'><img src="b.jpg"/>`, ['img src: a.jpg', 'img src: b.jpg']],
    ['<IMG\nSRC \t= "a.jpg"\n>', ['img src: a.jpg']],
    ['<img src=" a.jpg\n">', ['img src: a.jpg']],
    ['<img src=a.jpg src=b.jpg>', ['img src: a.jpg']],
    ['<img src="" alt=x><img src><img alt=a.jpg>', []],
    [
      '<img srcset="a.jpg 1x, b.jpg 640w,c.jpg">',
      ['img srcset 1x: a.jpg', 'img srcset 640w: b.jpg', 'img srcset: c.jpg'],
    ],
    ['<source srcset="a,b.jpg 2x">', ['source srcset 2x: a,b.jpg']],
    [
      '<link rel=preload imagesrcset="a.jpg 1x" href=b.jpg>',
      ['link imagesrcset 1x: a.jpg', 'link href: b.jpg'],
    ],
    [
      '<video src=a.mp4 poster=b.jpg><track src=c.vtt></video>',
      ['video src: a.mp4', 'video poster: b.jpg', 'track src: c.vtt'],
    ],
    [
      '<audio src=a.mp3></audio><embed src=b.svg><object data=c.pdf></object>',
      ['audio src: a.mp3', 'embed src: b.svg', 'object data: c.pdf'],
    ],
    ['<a href="a.pdf">x</a><area href=b.pdf>', ['a href: a.pdf', 'area href: b.pdf']],
    [
      '<img data-src=a.jpg data-srcset="b.jpg 1x"><div data-bg=c.jpg>',
      ['img data-src: a.jpg', 'img data-srcset 1x: b.jpg', 'div data-bg: c.jpg'],
    ],
    ['<div style="background:url(a.jpg)">', ['css url(): a.jpg']],
    [`<div style='background:url("a.jpg")'>`, ['css url(): a.jpg']],
    ['<div style="background:url(&quot;a.jpg&quot;)">', ['css url(): a.jpg']],
    ['<style>@import "a.css"; p{background:url(b.jpg)}</style>', ['css @import: a.css', 'css url(): b.jpg']],
    [
      '<meta property="og:image" content="a.jpg"><meta content=b.jpg name=card:image:src>',
      ['meta og:image: a.jpg', 'meta card:image:src: b.jpg'],
    ],
    ['<meta name=description content="a.jpg"><meta property=og:image:width content=600>', []],
    [
      '<link itemprop=image href=a.jpg><meta itemprop=thumbnailUrl content=b.jpg>',
      ['link href: a.jpg', 'meta thumbnailurl: b.jpg'],
    ],
    [
      '<svg><image href=a.png /><image xlink:href=b.png /><use href=#c /></svg>',
      ['image href: a.png', 'image xlink:href: b.png'],
    ],
    [
      '<svg><style>.a{fill:url(a.svg#b)}</style></svg><img src=b.jpg>',
      ['css url(): a.svg#b', 'img src: b.jpg'],
    ],
    [
      '<svg><![CDATA[<img src=no.jpg>]]><foreignObject><img src=a.jpg></foreignObject></svg>',
      ['img src: a.jpg'],
    ],
    [
      '<script type=" application/json ">["/a.jpg"]</script><title type=application/json>"/b.jpg"</title>',
      ['json: /a.jpg'],
    ],
    // Only foreign elements close themselves, and in them a style holds elements. Source: WHATWG HTML, "foreign elements".
    ['<style/>p{fill:url(a.svg)}</style>url(b.svg)', ['css url(): a.svg']],
    ['<svg/><style>p>q{fill:url(a.svg)}</style>', ['css url(): a.svg']],
    ['<svg><style/>p{fill:url(a.svg)}</svg>', []],
    ['<svg><style><g id=a></g>p{fill:url(a.svg)}</style>p{fill:url(b.svg)}</svg>', ['css url(): a.svg']],
    [
      '<script type="application/ld+json">{"image": ["a.jpg", {"url": "https:\\/\\/x\\/b.jpg"}]}</script>',
      ['json image: a.jpg', 'json url: https:\\/\\/x\\/b.jpg → https://x/b.jpg'],
    ],
    ['<iframe srcdoc="&lt;img src=&quot;a.jpg&quot;&gt;"></iframe>', ['img src: a.jpg']],
    [
      '<noscript><img src=a.jpg></noscript><template><img src=b.jpg></template>',
      ['img src: a.jpg', 'img src: b.jpg'],
    ],
    // What is not shown is no reference.
    ['<!-- <img src=a.jpg> --><script>"<img src=a.jpg>"</script><textarea><img src=a.jpg></textarea>', []],
    ['<title><img src=a.jpg></title><xmp><img src=a.jpg></xmp>&lt;img src=a.jpg>', []],
    [
      '<a href="#top"><a href="mailto:a@b.example"><a href="javascript:x()"><img src="data:image/png;base64,AA==">',
      [],
    ],
    [`<img src="{{ page.cover }}"><a href="<%= x %>"><img src="${'$'}{y}">`, []],
    // Character references. Source: WHATWG HTML, "named character reference state": in attributes `&copy=` is none.
    ['<img src="a&amp;b.jpg?x&copy=1">', ['img src: a&amp;b.jpg?x&copy=1 → a&b.jpg?x&copy=1']],
    ['<img src="&#47;a&#x2e;jpg">', ['img src: &#47;a&#x2e;jpg → /a.jpg']],
    ['<img srcset="a.jpg&#32;1x&#44; b.jpg 2x">', ['img srcset 1x: a.jpg', 'img srcset 2x: b.jpg']],
    // Broken.
    ['<img src="a.jpg', []],
    ['<img src=a.jpg<img src=b.jpg>', ['img src: a.jpg<img']],
    ['<p <img src=a.jpg>', ['p src: no'].slice(1)],
    ['<img src="a.jpg"alt="b"title=c>', ['img src: a.jpg']],
    ['<img/src=a.jpg/>', ['img src: a.jpg/']],
    ['< img src=a.jpg><1img src=b.jpg></img src=c.jpg>', []],
    ['\0<img\0 src=a.jpg><img src="a\0b.jpg">', ['img src: a\0b.jpg']],
  ])('%s', (text, expected) => {
    expect(found('html', text)).toEqual(expected);
  });

  test('the base, the title, and what is a link', () => {
    const { base, title, references } = read(
      'html',
      '<title> Gannet\n Head &amp; sea </title><svg><title>no</title></svg><base target=x href=" /a/ "><base href=/no/><link rel="shortcut icon" href=i.ico><link rel="alternate nofollow" href=f.xml><a href=a.pdf><img src=b.jpg></a>',
    );
    expect([base, title]).toEqual(['/a/', 'Gannet Head & sea']);
    expect(references.filter(({ isLink }) => isLink).map(({ address }) => address)).toEqual([
      'f.xml',
      'a.pdf',
    ]);
  });
});

/** Source: WHATWG HTML, "the title element"; SVG 2, 5.7: the one of a drawing names a part of it. */
test.each([
  ['<svg></svg><title>Head</title>', 'Head'],
  ['<svg/><title>Head</title>', 'Head'],
  ['<math><svg></svg></math><title>Head</title>', 'Head'],
  ['<svg></p><title>no</title>', null],
  ['<svg><foreignObject><title>Head</title></foreignObject></svg>', 'Head'],
  ['<svg><foreignObject></foreignObject><title>no</title></svg>', null],
  ['<foreignObject></foreignObject><svg><title>no</title></svg>', null],
])('the title of %s', (text, title) => {
  expect(read('html', text).title).toBe(title);
});

/** Source: CSS Syntax 3, 4.3; CSS Cascade 5, 2; CSS Images 4, 2.4. */
describe('in CSS', () => {
  test.each<[string, string[]]>([
    ['p{background:url(a.jpg)}', ['css url(): a.jpg']],
    ['p{background:URL(  "a.jpg"  )}', ['css url(): a.jpg']],
    [`p{--x:url('a.jpg') no-repeat, src("b.jpg")}`, ['css url(): a.jpg', 'css src(): b.jpg']],
    [
      '@import url(a.css);@import "b.css" layer(x) supports(display: grid);',
      ['css @import: a.css', 'css @import: b.css'],
    ],
    [
      'p{background:image-set("a.avif" type("image/avif"), url(b.jpg) 2x)}',
      ['css image-set(): a.avif', 'css url(): b.jpg'],
    ],
    ['p{background:-webkit-image-set(url(a.jpg) 1x)}', ['css url(): a.jpg']],
    ['@font-face{src:url(a.woff2) format("woff2"),local("b.woff")}', ['css url(): a.woff2']],
    [
      '@namespace url(http://www.w3.org/1999/xhtml);@namespace x "http://x";p{background:url(a.jpg)}',
      ['css url(): a.jpg'],
    ],
    ['/* url(a.jpg) */p{content:"url(a.jpg)"}p::after{content:url(b.jpg)}', ['css url(): b.jpg']],
    ['p{background:url(a\\29 b.jpg)}', ['css url(): a\\29 b.jpg → a)b.jpg']],
    ['p{background:url("a\\"b\\\nc.jpg")}', ['css url(): a\\"b\\\nc.jpg → a"bc.jpg']],
    ['p{background:url(a.jpg', ['css url(): a.jpg']],
    ['p{background:url("a.jpg', ['css url(): a.jpg']],
    ['p{background:url(a b.jpg)} q{background:url(c.jpg)}', ['css url(): c.jpg']],
    ['p{background:url("a.jpg\n)}q{background:url(b.jpg)}', ['css url(): b.jpg']],
    ['p{mask:url(#m);background:url(data:image/png;base64,AA)}', []],
  ])('%s', (text, expected) => {
    expect(found('css', text)).toEqual(expected);
  });
});

test('what a style sheet refers to is a part of it', () => {
  expect(read('css', 'p{background:url(a.jpg)}').references.map(({ isLink }) => isLink)).toEqual([false]);
});

describe('in JSON', () => {
  test.each<[string, string[]]>([
    [
      '{"a": "/x.jpg", "b": ["https://e/y", "//e/z"], "c": {"d": "../w.png"}}',
      ['json a: /x.jpg', 'json b: https://e/y', 'json b: //e/z', 'json d: ../w.png'],
    ],
    [
      '{"/no.jpg": 1, "a": "no jpg", "b": "1.5", "c": "image/jpeg", "d": "mailto:a@b.example", "e": "a b.jpg"}',
      [],
    ],
    ['["\\u002fx.jpg", "y.jpg"', ['json: \\u002fx.jpg → /x.jpg', 'json: y.jpg']],
    ['{"html": "<img src=\\"a.jpg\\" srcset=\\"b.jpg 1x\\">"}', ['img src: a.jpg', 'img srcset 1x: b.jpg']],
    ['{"html": "\\u003cimg src=a\\u0026amp;b.jpg\\u003e"}', ['img src: a\\u0026amp;b.jpg → a&b.jpg']],
    [
      '{"k\\u0065y": "\\/a.jpg", "b": {"c": "/d\\\\e.jpg"}}',
      ['json key: \\/a.jpg → /a.jpg', 'json c: /d\\\\e.jpg → /d\\e.jpg'],
    ],
    ['{"a": "/b\\nc.jpg", "d": "\\t/e.jpg", "f": ":", "g": "/h.jpg"}', ['json g: /h.jpg']],
    ['{broken "/a.jpg" , "/b.jpg', ['json: /a.jpg'].slice(0, 1)],
  ])('%s', (text, expected) => {
    expect(found('json', text).slice(0, expected.length || 1)).toEqual(expected);
  });

  test('nested without end, it is read all the same', () => {
    expect(found('json', `${'['.repeat(100_000)}"/a.jpg"`)).toEqual(['json: /a.jpg']);
  });
});

/** Source: RSS 2.0; Media RSS 1.5; RFC 4287; Sitemaps 0.9; XML 1.0; Associating Style Sheets with XML 1.0. */
describe('in XML', () => {
  test.each<[string, string[]]>([
    [
      '<rss><channel><link>https://e/</link><item><enclosure url="a.mp3" length="1"/></item></channel></rss>',
      ['link: https://e/', 'enclosure url: a.mp3'],
    ],
    [
      '<x xmlns:media="http://m/"><media:content url="a.jpg?x=1&amp;y=2"/><media:thumbnail url=\'b.jpg\'/></x>',
      ['media:content url: a.jpg?x=1&amp;y=2 → a.jpg?x=1&y=2', 'media:thumbnail url: b.jpg'],
    ],
    [
      '<feed><link rel="enclosure" href="a.pdf"/><content src="b.jpg"/><logo>/c.png</logo></feed>',
      ['link href: a.pdf', 'content src: b.jpg', 'logo: /c.png'],
    ],
    [
      '<item><description>&lt;img src="a.jpg?x&amp;amp;y"&gt;</description></item>',
      ['img src: a.jpg?x&amp;amp;y → a.jpg?x&y'],
    ],
    [
      '<item><content:encoded><![CDATA[<p><img src="a.jpg?x&amp;y"></p>]]></content:encoded></item>',
      ['img src: a.jpg?x&amp;y → a.jpg?x&y'],
    ],
    [
      '<urlset><url><loc>https://e/1</loc><image:image><image:loc> https://e/a.jpg </image:loc></image:image></url></urlset>',
      ['loc: https://e/1', 'image:loc: https://e/a.jpg'],
    ],
    [
      '<?xml version="1.0"?><?xml-stylesheet type="text/css" href="a.css"?><svg><image href="b.png"/><rect style="fill:url(c.svg#d)"/></svg>',
      ['xml-stylesheet href: a.css', 'image href: b.png', 'css url(): c.svg#d'],
    ],
    [
      '<svg xmlns="http://www.w3.org/2000/svg"><style>@import url(a.css);</style><use href="#x"/><a href="b.html"/></svg>',
      ['css @import: a.css', 'a href: b.html'],
    ],
    ['<!-- <enclosure url="a.mp3"/> --><x a="b.jpg">text</x>', []],
    ['<item><enclosure url="a.mp3"></item><enclosure url="b.mp3"', ['enclosure url: a.mp3']],
    // The element that is open says what a text is, whatever was left open in it.
    ['<x><![CDATA[/a.jpg]]></x>', ['x: /a.jpg']],
    ['<?xml-stylesheet type="text/css"?><?an xml-stylesheet href="a.css"?>', []],
    ['<x><link>/a</link>/b.jpg</x>', ['link: /a', 'x: /b.jpg']],
    ['<x><p>text</x></q>\n/c.jpg\n', [': /c.jpg']],
    ['<x><b/>/d.jpg</x>', ['x: /d.jpg']],
    ['<x><style><![CDATA[p{fill:url(a.svg)}]]></style></x>', ['css url(): a.svg']],
    ["<?xml-stylesheet href='a.css?x&amp;y'?><x/>", ['xml-stylesheet href: a.css?x&amp;y → a.css?x&y']],
    ['<?xml-stylesheets href="a.css"?><?php href="b.css"?><x url uri=""/>', []],
    ['<X:IMAGE HREF="a.jpg" Src="b.jpg"/>', ['X:IMAGE HREF: a.jpg', 'X:IMAGE Src: b.jpg']],
  ])('%s', (text, expected) => {
    expect(found('xml', text)).toEqual(expected);
  });

  test('what is a link', () => {
    const text =
      '<x><guid>https://e/1</guid><loc>https://e/2</loc><atom:link href="3.html"/><img src="4.jpg"/><a href="5.html"/><id>/6</id></x>';
    expect(read('xml', text).references.map(({ address, isLink }) => [address, isLink])).toEqual([
      ...[
        ['https://e/1', true],
        ['https://e/2', false],
        ['3.html', true],
        ['4.jpg', false],
      ],
      ...[
        ['5.html', true],
        ['/6', true],
      ],
    ]);
  });

  test('the base of the root and the title', () => {
    expect(read('xml', '<a><b xml:base="/no"/></a>').base).toBeNull();
    expect(read('xml', '<a><media:title> The <b>no</b></media:title></a>').title).toBe('The');
    const { base, title } = read(
      'xml',
      '<feed xml:base="https://e/x/"><title>News</title><entry xml:base="/no"><title>no</title></entry></feed>',
    );
    expect([base, title]).toEqual(['https://e/x/', 'News']);
  });
});

describe('in Markdown', () => {
  test.each<[string, string[]]>([
    ['![a](a.jpg) [b](b.pdf "t")', ['markdown image: a.jpg', 'markdown link: b.pdf']],
    ['![a](<a b.jpg>)', ['markdown image: a b.jpg']],
    ['![a](a\\(1\\)&amp;.jpg)', ['markdown image: a\\(1\\)&amp;.jpg → a(1)&.jpg']],
    ['[![a](a.jpg)](b.html)', ['markdown image: a.jpg', 'markdown link: b.html']],
    ['![a][r]\n\n[r]: <a.jpg> "t"', ['markdown definition: a.jpg']],
    ['<https://e/a.jpg> <a@b.example>', ['markdown autolink: https://e/a.jpg']],
    ['`![a](a.jpg)`\n\n    ![a](a.jpg)\n\n```\n![a](a.jpg)\n```\n\n\\![a](b.jpg)', ['markdown link: b.jpg']],
    [
      'text <img src="a.jpg"> text\n\n<picture>\n<img src=b.jpg>\n</picture>',
      ['img src: a.jpg', 'img src: b.jpg'],
    ],
    [
      '> <img\n>   src="a.jpg">\n\n- <div\n  style="background:url(b.jpg)">',
      ['img src: a.jpg', 'css url(): b.jpg'],
    ],
    [
      'text <img src=/a/b.jpg alt=x> `<img src=/no.jpg>`\n\n<a href=https://e/c.pdf>',
      ['img src: /a/b.jpg', 'a href: https://e/c.pdf'],
    ],
    ['<!-- ![a](a.jpg) <img src=a.jpg> -->\n\n<script>\n"![a](a.jpg)"\n</script>', []],
    [
      '---\ncover: a.jpg\ntitle: T\nlist:\n  - "b.png"\n  - name: c.pdf\nn: 1.5\n---\n\n![d](d.jpg)',
      [
        'front matter cover: a.jpg',
        'front matter: b.png',
        'front matter name: c.pdf',
        'markdown image: d.jpg',
      ],
    ],
    ['+++\ncover = "/a.jpg"\n+++\n', ['front matter cover: /a.jpg']],
    ['---\r\ncover: a.jpg\r\n---\r\n![b](b.jpg)\r\n', ['front matter cover: a.jpg', 'markdown image: b.jpg']],
    ['---\nno end: a.jpg\n\n![b](b.jpg)', ['markdown image: b.jpg']],
    ['\ufeff---\ncover: a.jpg\n---', ['front matter cover: a.jpg']],
    [
      `--- \n- one: "a.jpg",\n\ttwo-x.y : '/b.jpg'\nthree=c.jpg \n - - d.jpg\nfour: "e.jpg\nfive:f.jpg\n: g.jpg\n---\t\nx: /no.jpg`,
      [
        ...['front matter one: a.jpg', 'front matter two-x.y: /b.jpg', 'front matter three: c.jpg'],
        ...['front matter: d.jpg', 'front matter four: "e.jpg', 'front matter five: f.jpg'],
      ],
    ],
    ['----\ncover: a.jpg\n----', []],
    ['x\n---\ncover: a.jpg\n---', []],
    [
      '+++\na = "b.jpg"\n---\nc = "d.jpg"\n+++x\n+++\n![e](e.jpg)',
      ['front matter a: b.jpg', 'front matter c: d.jpg', 'markdown image: e.jpg'],
    ],
    // Values without quotes that hold a slash are text to the parser, but not to browsers.
    ['<img src=/a.jpg>\n\ntext <img alt="b" src=/c.jpg id>', ['img src: /a.jpg', 'img src: /c.jpg']],
    [
      'text <img src=/p/a.jpg id=a> `<img src=/p/b.jpg id=b>` <img src=/p/c.jpg id=c>\n\n`x` <img src=/p/d.jpg id=d>',
      [...['img src: /p/a.jpg', 'img src: /p/c.jpg', 'img src: /p/d.jpg']],
    ],
    ['`x`<img src=/p/a.jpg id=a>`y` ', ['img src: /p/a.jpg']],
    ['text <img src=/p/a.jpg id=a', []],
    [
      '- ![a](a.jpg)\n  > [b](b.pdf)\n\n![c [d](d.html)](c.jpg)',
      [
        ...[
          'markdown image: a.jpg',
          'markdown link: b.pdf',
          'markdown link: d.html',
          'markdown image: c.jpg',
        ],
      ],
    ],
  ])('%j', (text, expected) => {
    expect(found('markdown', text)).toEqual(expected);
  });

  test('what is a link', () => {
    const { references } = read('markdown', '[a](b.pdf) ![c](d.jpg) <https://e/f>\n\n[g]: h.pdf');
    expect(references.filter(({ isLink }) => isLink).map(({ address }) => address)).toEqual([
      'b.pdf',
      'https://e/f',
    ]);
  });

  test('the title is that of the front matter, or the first heading', () => {
    expect(read('markdown', '---\ntitle: "T&"\n---\n# H').title).toBe('T&');
    expect(read('markdown', '---\nTITLE: T\n---').title).toBe('T');
    expect(read('markdown', '---\nsubtitle: T\ntitle:\n---\n## `H` ##\n# no').title).toBe('`H`');
    expect(read('markdown', `# ${'x'.repeat(301)}`).title).toBe('x'.repeat(300));
    expect(read('markdown', 'x\n\nH &amp; *h*\n=====\n\n# no').title).toBe('H & *h*');
  });
});

/** A text of bytes: each is the character of that number, so that offsets are those of the file. */
describe('in bytes', () => {
  const bytes = (data: Buffer) => data.toString('latin1');

  test.each([
    ['utf-8', Buffer.from('<img src="/é/日本.jpg">', 'utf8')],
    ['windows-1252', Buffer.from('<img src="/é/\x80.jpg">', 'latin1')],
    [
      'shift_jis',
      Buffer.concat([
        Buffer.from('<img src="/'),
        Buffer.from([0x93, 0xfa, 0x95, 0x5c]),
        Buffer.from('.jpg">'),
      ]),
    ],
  ])('%s is read in its encoding', (encoding, data) => {
    const [reference] = read('html', bytes(data), encoding).references;
    const expected = { 'utf-8': '/é/日本.jpg', 'windows-1252': '/é/€.jpg', shift_jis: '/日表.jpg' }[encoding];
    expect(reference?.address).toBe(expected);
    expect(data.subarray(reference?.from, reference?.to).toString('latin1')).toMatch(/^\/[^"]*\.jpg$/);
  });

  test('what is no text of the encoding, and what a character reference stands for, stays', () => {
    expect(
      read('html', bytes(Buffer.from('<img src="\xff.jpg">', 'latin1')), 'utf-8').references[0]?.address,
    ).toBe('\u00ff.jpg');
    expect(read('html', '<img src="&eacute;&#x65e5;.jpg">', 'utf-8').references[0]?.address).toBe('é日.jpg');
  });

  test('a byte order mark is skipped', () => {
    const text = bytes(Buffer.from('\ufeff---\ncover: a.jpg\n---', 'utf8'));
    expect(found('markdown', text, 'utf-8')).toEqual(['front matter cover: a.jpg']);
  });
});

test('the format of a file is known by its name', () => {
  expect(['a.HTML', 'b.md', 'c.css', 'd.svg', 'e.jsonld', 'f.jpg', 'html', '.md'].map(formatOfFile)).toEqual([
    'html',
    'markdown',
    'css',
    'xml',
    'json',
    null,
    'html',
    'markdown',
  ]);
});
