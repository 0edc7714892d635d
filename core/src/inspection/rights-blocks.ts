import { concat } from './bytes.js';

/** A file's rights information. */
export interface StatedRights {
  artist: string | null;
  copyright: string | null;
  credit: string | null;
  /** Its terms of use, as text and as a link. */
  usageTerms: string | null;
  webStatement: string | null;
  /** Whether it is protected: false for the public domain. */
  isMarked: boolean | null;
}

export const NO_RIGHTS: StatedRights = {
  artist: null,
  copyright: null,
  credit: null,
  usageTerms: null,
  webStatement: null,
  isMarked: null,
};

/** An XMP packet that says nothing. Source: ISO 16684-1, 7. */
export const EMPTY_XMP =
  '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"/></x:xmpmeta>';

const MAX_CHARACTERS = 2000;

/** Tags of TIFF 6.0 for display and rights. */
export const TIFF_TAGS = { orientation: 0x0112, artist: 0x013b, copyright: 0x8298 } as const;
const ASCII = 2;
const SHORT = 3;

/**
 * Writes Exif with orientation and rights; null when there is nothing to write. Texts are UTF-8, as most programs
 * read them. Source: CIPA DC-008-2019, 4.5 and 4.6.
 */
export function writeExif({
  orientation,
  rights,
}: {
  orientation: number | null;
  rights: StatedRights | null;
}): Uint8Array | null {
  const entries: { tag: number; type: number; count: number; value: Uint8Array }[] = [];
  if (orientation !== null && orientation >= 2 && orientation <= 8)
    entries.push({ tag: TIFF_TAGS.orientation, type: SHORT, count: 1, value: Uint8Array.of(orientation, 0) });
  for (const [tag, text] of [
    [TIFF_TAGS.artist, rights?.artist],
    [TIFF_TAGS.copyright, rights?.copyright],
  ] as const) {
    if (!text) continue;
    const value = new TextEncoder().encode(`${text.slice(0, MAX_CHARACTERS)}\0`);
    entries.push({ tag, type: ASCII, count: value.length, value });
  }
  if (entries.length === 0) return null;
  const head = new Uint8Array(8 + 2 + entries.length * 12 + 4);
  const view = new DataView(head.buffer);
  head.set([0x49, 0x49, 0x2a, 0x00, 8, 0, 0, 0]);
  view.setUint16(8, entries.length, true);
  const data: Uint8Array[] = [];
  let at = head.length;
  for (const [index, { tag, type, count, value }] of entries.entries()) {
    const entry = 10 + index * 12;
    view.setUint16(entry, tag, true);
    view.setUint16(entry + 2, type, true);
    view.setUint32(entry + 4, count, true);
    if (value.length <= 4) {
      head.set(value, entry + 8);
      continue;
    }
    view.setUint32(entry + 8, at, true);
    const padded = new Uint8Array(value.length + (value.length % 2));
    padded.set(value);
    data.push(padded);
    at += padded.length;
  }
  return concat([head, ...data]);
}

/** Characters allowed in XML. Source: XML 1.0, production 2. */
function isXmlCharacter(character: string): boolean {
  const code = character.codePointAt(0) ?? 0;
  const isControl = code < 0x20 && code !== 0x9 && code !== 0xa && code !== 0xd;
  const isHalf = code >= 0xd800 && code <= 0xdfff;
  return !isControl && !isHalf && code !== 0xfffe && code !== 0xffff;
}

function escapeXml(text: string): string {
  return [...text.slice(0, MAX_CHARACTERS)]
    .filter(isXmlCharacter)
    .join('')
    .replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`);
}

/** Writes an XMP packet with rights; null when there is nothing to write. Source: ISO 16684-1, clause 7. */
export function writeXmp({
  artist,
  copyright,
  credit,
  usageTerms,
  webStatement,
  isMarked,
}: StatedRights): Uint8Array | null {
  const inDefaultLanguage = (text: string) =>
    `<rdf:Alt><rdf:li xml:lang="x-default">${escapeXml(text)}</rdf:li></rdf:Alt>`;
  const properties = [
    artist !== null && `<dc:creator><rdf:Seq><rdf:li>${escapeXml(artist)}</rdf:li></rdf:Seq></dc:creator>`,
    copyright !== null && `<dc:rights>${inDefaultLanguage(copyright)}</dc:rights>`,
    credit !== null && `<photoshop:Credit>${escapeXml(credit)}</photoshop:Credit>`,
    usageTerms !== null && `<xmpRights:UsageTerms>${inDefaultLanguage(usageTerms)}</xmpRights:UsageTerms>`,
    webStatement !== null && `<xmpRights:WebStatement>${escapeXml(webStatement)}</xmpRights:WebStatement>`,
    isMarked !== null && `<xmpRights:Marked>${isMarked ? 'True' : 'False'}</xmpRights:Marked>`,
  ].filter((property) => property !== false);
  if (properties.length === 0) return null;
  return new TextEncoder().encode(
    `<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/" xmlns:xmpRights="http://ns.adobe.com/xap/1.0/rights/">${properties.join('')}</rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="r"?>`,
  );
}

/** Datasets with their longest values in bytes. Source: IPTC-NAA IIM 4.2, chapter 6. */
const IIM_FIELDS = [
  { dataset: 80, field: 'artist', maxBytes: 32 },
  { dataset: 110, field: 'credit', maxBytes: 32 },
  { dataset: 116, field: 'copyright', maxBytes: 128 },
] as const;
/** That texts are UTF-8. Source: IPTC-NAA IIM 4.2, 1:90; ISO/IEC 2022. */
const IN_UTF8 = Uint8Array.of(0x1c, 1, 90, 0, 3, 0x1b, 0x25, 0x47);

/** Writes rights as IIM, which older programs read; null when there is nothing to write. Texts are cut to its limits. */
export function writeIim(rights: StatedRights): Uint8Array | null {
  const records = IIM_FIELDS.flatMap(({ dataset, field, maxBytes }) => {
    const value = new TextEncoder().encode(rights[field] ?? '');
    if (value.length === 0) return [];
    let end = Math.min(value.length, maxBytes);
    // A character is not cut in two: bytes after its first one begin with the bits 10.
    while (end < value.length && ((value[end] ?? 0) & 0xc0) === 0x80) end -= 1;
    return [concat([Uint8Array.of(0x1c, 2, dataset, 0, end), value.subarray(0, end)])];
  });
  return records.length === 0 ? null : concat([IN_UTF8, ...records]);
}

/** A run of this many characters without a space or tag is an encoded picture, not a text. */
const PICTURE_RUN = 200;
const SPACE = 0x20;
/** The characters of base64 (RFC 4648), line ends, and references by which XML writes them. */
const OF_A_PICTURE = new Set(
  [...'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/=&#;\r\n\0'].map((sign) =>
    sign.charCodeAt(0),
  ),
);

/** Blanks base64 pictures in an XMP packet, whatever the property; its length stays the same. */
export function blankPictures(packet: Uint8Array): Uint8Array {
  const blanked = packet.slice();
  let from = 0;
  for (let at = 0; at <= packet.length; at += 1) {
    if (at < packet.length && OF_A_PICTURE.has(packet[at] ?? 0)) continue;
    if (at - from >= PICTURE_RUN) blanked.fill(SPACE, from, at);
    from = at + 1;
  }
  return blanked;
}
