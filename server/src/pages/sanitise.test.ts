import type { Asset } from '@uniferum/core/library';
import { galleryHtml, mediaHtml, resolveBody } from '@uniferum/core/pages';
import { JSDOM } from 'jsdom';
import { expect, test } from 'vitest';
import { sanitiseBody } from './sanitise.js';

// The vectors are those of the OWASP "XSS Filter Evasion Cheat Sheet" and of the HTML5 Security Cheatsheet, written down
// from memory, and some of our own around the attributes that name assets.
const VECTORS = [
  '<script>alert(1)</script>',
  '<SCRIPT SRC=https://evil.example/x.js></SCRIPT>',
  '<scr<script>ipt>alert(1)</scr</script>ipt>',
  '<script/x>alert(1)</script>',
  '<script\x00>alert(1)</script>',
  '<<script>alert(1);//<</script>',
  '<script>alert(1)//',
  '<noscript><p title="</noscript><img src=x onerror=alert(1)>">',
  '<img src=x onerror=alert(1)>',
  '<img src="x" onerror="&#0000106&#0000097alert(1)">',
  '<img/onerror="alert(1)"src=x>',
  '<img src=x:alert(alt) onerror=eval(src) alt=xss>',
  '<IMG """><SCRIPT>alert(1)</SCRIPT>"\\>',
  '<img src="javascript:alert(1);">',
  '<img src=JaVaScRiPt:alert(1)>',
  '<img src="jav\tascript:alert(1)">',
  '<img src="jav&#x0A;ascript:alert(1)">',
  '<img src=" &#14; javascript:alert(1)">',
  '<img src=&#106;&#97;&#118;&#97;&#115;&#99;&#114;&#105;&#112;&#116;&#58;alert(1)>',
  '<img src="data:image/svg+xml;base64,PHN2ZyBvbmxvYWQ9YWxlcnQoMSk+">',
  '<img dynsrc="javascript:alert(1)" lowsrc="javascript:alert(1)">',
  '<a href="javascript:alert(1)">x</a>',
  '<a href="java&Tab;script:alert(1)">x</a>',
  '<a href="javascript&colon;alert(1)">x</a>',
  '<a href="  javascript:alert(1)">x</a>',
  '<a href="\x01javascript:alert(1)">x</a>',
  '<a href="vbscript:msgbox(1)">x</a>',
  '<a href="data:text/html,<script>alert(1)</script>">x</a>',
  '<a href=//evil.example/>x</a>',
  '<a href="https://a.example" onmouseover=alert(1)>x</a>',
  '<a xlink:href="javascript:alert(1)">x</a>',
  '<body onload=alert(1)>',
  '<body background="javascript:alert(1)">',
  '<svg onload=alert(1)>',
  '<svg><script>alert(1)</script></svg>',
  '<svg><a xlink:href="javascript:alert(1)"><text>x</text></a></svg>',
  '<svg><animate onbegin=alert(1) attributeName=x dur=1s>',
  '<svg><style><img src=x onerror=alert(1)></style></svg>',
  '<math><mtext><table><mglyph><style><img src=x onerror=alert(1)>',
  '<math href="javascript:alert(1)">x</math>',
  '<iframe src="javascript:alert(1)"></iframe>',
  '<iframe srcdoc="<script>alert(1)</script>"></iframe>',
  '<object data="javascript:alert(1)"></object>',
  '<embed src="javascript:alert(1)">',
  '<form action="javascript:alert(1)"><button>x</button></form>',
  '<button formaction="javascript:alert(1)">x</button>',
  '<input autofocus onfocus=alert(1)>',
  '<details open ontoggle=alert(1)>x</details>',
  '<video><source onerror=alert(1)></video>',
  '<audio src=x onerror=alert(1)>',
  '<marquee onstart=alert(1)>x</marquee>',
  '<style>@import "javascript:alert(1)";</style>',
  '<p style="background:url(javascript:alert(1))">x</p>',
  '<p style="width:expression(alert(1))">x</p>',
  '<link rel=stylesheet href="javascript:alert(1)">',
  '<meta http-equiv=refresh content="0;url=javascript:alert(1)">',
  '<base href="javascript:alert(1)//">',
  '<template><script>alert(1)</script></template>',
  '<textarea><script>alert(1)</script></textarea>',
  '<title><img src=x onerror=alert(1)></title>',
  '<xmp><img src=x onerror=alert(1)></xmp>',
  '<plaintext><img src=x onerror=alert(1)>',
  '<!--><img src=x onerror=alert(1)>-->',
  '<![CDATA[<img src=x onerror=alert(1)>]]>',
  '<?xml version="1.0"?><img src=x onerror=alert(1)>',
  '<p title="&quot;><img src=x onerror=alert(1)>">x</p>',
  '<img data-asset="7" onerror=alert(1) data-recipe=""><script>alert(1)</script>">',
  '<img data-asset="7" alt="&quot;><script>alert(1)</script>">',
  '<figure data-align="left&quot; onclick=&quot;alert(1)">x</figure>',
  '<figure data-align="left onclick=alert(1)">x</figure>',
  '<figure data-gallery="rows" data-assets="7" data-recipe="&quot;><script>alert(1)</script>"></figure>',
  '<figure data-gallery="rows&quot;><script>alert(1)</script>"></figure>',
  '<a data-asset="7" href="javascript:alert(1)">x</a>',
  '<a data-asset="8" href="javascript:alert(1)">x</a>',
];

const EVIL = '"><script>alert(1)</script><img src=x onerror=alert(1)>\'';
const asset = (kind: Asset['kind'], more: Partial<Asset> = {}): Asset =>
  ({
    ...{ id: '7', name: EVIL, kind, title: EVIL, alt: EVIL, caption: EVIL, width: 4, height: 3, link: null },
    ...{ url: 'https://a.example/media/x.jpg', renditions: [] },
    ...more,
  }) as unknown as Asset;

const browser = new JSDOM().window;
const parse = (html: string) => new browser.DOMParser().parseFromString(html, 'text/html');

/** What a browser would run, or load from elsewhere than the web: parsed as the HTML standard says. */
function dangers(html: string): string[] {
  const elements = [...parse(html).body.querySelectorAll('*')];
  return elements.flatMap((element) => {
    const attributes = [...element.attributes];
    return [
      ...(ACTIVE.test(element.localName) ? [element.localName] : []),
      ...attributes.flatMap(({ name }) =>
        /^(?:on|style$|srcdoc$)/.test(name) && element.localName !== 'iframe' ? [name] : [],
      ),
      ...attributes.flatMap(({ name, value }) => {
        if (!/^(?:href|src|action|data|poster|xlink:href|srcset)$/.test(name)) return [];
        const { protocol } = new URL(value, 'https://page.example/');
        return ['http:', 'https:', 'mailto:', 'tel:'].includes(protocol) ? [] : [`${name}=${value}`];
      }),
    ];
  });
}

const ACTIVE =
  /^(?:script|style|svg|math|object|embed|form|input|button|link|meta|base|template|textarea|noscript|marquee|xmp)$/;

const writer = {
  media: ({ asset: id, recipe, alt }: { asset: string; recipe: string | null; alt: string | null }) =>
    id === '7' ? mediaHtml(asset('image'), recipe, alt) : null,
  address: ({ asset: id }: { asset: string }) => (id === '7' ? 'https://a.example/x' : null),
  gallery: (gallery: Parameters<typeof galleryHtml>[0]) => galleryHtml(gallery, [asset('image')]),
};

test.each(VECTORS)('%s does nothing', (vector) => {
  for (const around of [
    vector,
    `<p>before ${vector} after</p>`,
    `<table><tr><td>${vector}`,
    `<a href="${vector}">x</a>`,
  ]) {
    const stored = sanitiseBody(around);
    expect(dangers(stored), stored).toEqual([]);
    // What was cleaned once stays as it is.
    expect(sanitiseBody(stored)).toBe(stored);
    const shown = resolveBody(stored, writer);
    expect(dangers(shown), shown).toEqual([]);
  }
});

test.each(['image', 'vector', 'video', 'audio', 'document', 'archive'] as const)(
  'texts of a file of kind %s stay texts',
  (kind) => {
    for (const alt of [EVIL, null]) expect(dangers(mediaHtml(asset(kind), null, alt))).toEqual([]);
  },
);

test('what a provider wrote runs in a frame without rights, and not before somebody opens it', () => {
  const link = {
    ...{ address: 'https://films.example/1', type: 'video' as const, provider: EVIL, author: null },
    ...{ html: '<script>alert(1)</script>', width: 640, height: 360 },
  };
  const html = mediaHtml(asset('link', { link }), null, null);
  const frame = parse(html).querySelector('details:not([open]) > iframe');
  const attributes = Object.fromEntries(
    [...(frame?.attributes ?? [])].map(({ name, value }) => [name, value]),
  );
  expect(attributes).toMatchObject({
    ...{ sandbox: 'allow-scripts allow-popups', loading: 'lazy', width: '640', height: '360' },
    srcdoc: '<script>alert(1)</script>',
  });
  expect(dangers(html)).toEqual([]);
});

test('what a writer means is kept', () => {
  const body =
    '<h2>A</h2><p>b <strong>c</strong> <em>d</em> <a href="https://a.example/?x=1&amp;y=2" title="t">e</a></p><ul><li>f</li></ul><blockquote><p>g</p></blockquote><figure data-align="left"><a href="mailto:x@a.example"><img data-asset="7" data-recipe="wide" alt="h" /></a><figcaption>i</figcaption></figure><table><tbody><tr><td colspan="2">j</td></tr></tbody></table>';
  expect(sanitiseBody(body)).toBe(body);
});
