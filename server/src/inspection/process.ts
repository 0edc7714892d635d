import { readFileSync } from 'node:fs';
import { open, readFile } from 'node:fs/promises';
import { cleanFile, NO_RIGHTS, type Piece } from '@uniferum/core/inspection';
import { planManifest } from '@uniferum/core/intake';
import {
  type AddressMap,
  applyEdits,
  type DocumentFormat,
  decodeByteText,
  detectEncoding,
  findReferences,
  moveStyles,
  planRewrite,
  showEdits,
} from '@uniferum/core/pages';
import sharp from 'sharp';
import { plainReason } from '../shared/plain-reason.js';
import { serveProcess } from '../shared/process-side.js';
import { addressMapOf } from './address-maps.js';
import { contentDigest } from './content-digest.js';
import { findDiscovery } from './discovery.js';
import { readHeader, readMetadata, readStatedRights } from './embedded.js';
import { endsEarly, FileSource } from './file-source.js';
import type {
  DocumentContent,
  DocumentPart,
  DocumentToRead,
  DocumentToRewrite,
  InspectionPart,
  InspectionResult,
  InspectionWork,
  PlannedLine,
  ReadDocument,
  StylesMoved,
  StylesToMove,
} from './work.js';

sharp.concurrency(1);
sharp.cache(false);

serveProcess<InspectionWork, InspectionResult, InspectionPart>(async (work, { tell }) => {
  switch (work.kind) {
    case 'inspect':
      for (const [n, { path, mime }] of work.files.entries()) await inspect(n, path, mime, tell);
      return null;
    case 'discover':
      return { address: findDiscovery(await readFile(work.path, 'utf8')) };
    case 'clean':
      return { pieces: await clean(work) };
    case 'manifest':
      return planManifestTo(work);
    case 'documents':
      reportInGroups(work.files, { tell, isReportedSingly: work.isReportedSingly }, readDocument);
      return null;
    case 'rewrite': {
      const options = { map: addressMapOf(work), isShown: work.isShown };
      reportInGroups(work.files, { tell, isReportedSingly: work.isReportedSingly }, (file, n) =>
        rewriteDocument(file, n, options),
      );
      return null;
    }
    case 'styles':
      return moveSheet(work);
    case 'shrink':
      return shrink(work);
  }
});

const GROUP_MS = 50;

/** A message for each of many small documents would take as long as reading them. */
function reportInGroups<File>(
  files: readonly File[],
  { tell, isReportedSingly }: { tell: (part: InspectionPart) => void; isReportedSingly: boolean },
  read: (file: File, n: number) => DocumentPart,
): void {
  let group: DocumentPart[] = [];
  let begun = performance.now();
  for (const [n, file] of files.entries()) {
    group.push(read(file, n));
    if (!isReportedSingly && n + 1 < files.length && performance.now() - begun < GROUP_MS) continue;
    tell({ n: group[0]?.n ?? n, found: 'documents', documents: group });
    group = [];
    begun = performance.now();
  }
}

async function inspect(
  n: number,
  path: string,
  mime: string,
  tell: (part: InspectionPart) => void,
): Promise<void> {
  try {
    const { size, pages, notes, blocks } = await readHeader(path, mime);
    tell({
      n,
      found: 'size',
      size,
      pages,
      notes: [...(endsEarly(path, mime) ? ['truncated' as const] : []), ...notes],
    });
    tell({ n, found: 'metadata', metadata: readMetadata(blocks) });
  } catch (error) {
    tell({ n, found: 'fault', reason: plainReason(error, [path]) });
  }
}

/** This process does one thing after the other: waiting for a disk in the meantime gains nothing. */
function readContent(content: DocumentContent): Buffer {
  if ('file' in content) return readFileSync(content.file);
  return Buffer.from(content.bytes.buffer, content.bytes.byteOffset, content.bytes.byteLength);
}

function pathsOf(content: DocumentContent): string[] {
  return 'file' in content ? [content.file] : [];
}

/** References beyond this many are those of a machine, and of no use to anybody. */
const MAX_REFERENCES = 20_000;

function describe(data: Buffer, format: DocumentFormat): ReadDocument {
  const bytes = data.toString('latin1');
  const encoding = detectEncoding(bytes, format);
  const found = encoding.isAsciiBased
    ? findReferences({ text: bytes, format, encoding: encoding.label })
    : findReferences({ text: new TextDecoder(encoding.label).decode(data), format, encoding: null });
  return toReadDocument(found, encoding.label);
}

function toReadDocument(
  { title, base, references }: Omit<ReadDocument, 'encoding'>,
  encoding: string,
): ReadDocument {
  return {
    ...{ encoding, title, base },
    references: references
      .slice(0, MAX_REFERENCES)
      .map(({ from, attribute, address }) => ({ from, attribute, address })),
  };
}

function readDocument({ content, format }: DocumentToRead, n: number): DocumentPart {
  try {
    return { n, found: 'document', document: describe(readContent(content), format) };
  } catch (error) {
    return { n, found: 'fault', reason: plainReason(error, pathsOf(content)) };
  }
}

const SHOWN_EDITS = 20;

function rewriteDocument(
  { content, format, url }: DocumentToRewrite,
  n: number,
  { map, isShown }: { map: AddressMap; isShown: boolean },
): DocumentPart {
  try {
    const data = readContent(content);
    const text = data.toString('latin1');
    const { label, isAsciiBased } = detectEncoding(text, format);
    if (!isAsciiBased) throw new Error(`documents in ${label} are not rewritten`);
    const found = findReferences({ text, format, encoding: label });
    const { edits, references } = planRewrite(text, found.references, map.replacements(found, url));
    const after = Buffer.from(applyEdits(text, edits), 'latin1');
    const shown = (isShown ? showEdits(text, edits, SHOWN_EDITS) : []).map((edit) => ({
      ...edit,
      lead: decodeByteText(edit.lead, label),
      before: decodeByteText(edit.before, label),
      trail: decodeByteText(edit.trail, label),
    }));
    // A base can be one of the addresses that are replaced.
    const isKnown = format !== 'markdown' && found.base === null;
    const readAfter = (): ReadDocument =>
      isKnown ? toReadDocument({ ...found, references }, label) : describe(after, format);
    const read = isShown || edits.length === 0 ? null : readAfter();
    const [digestBefore, digestAfter] = [contentDigest(data), contentDigest(after)];
    return { n, found: 'rewrite', rewrite: { edits, shown, before: digestBefore, after: digestAfter, read } };
  } catch (error) {
    return { n, found: 'fault', reason: plainReason(error, pathsOf(content)) };
  }
}

function moveSheet({ file, path, siteUrl, paths }: StylesToMove): StylesMoved {
  const text = readFileSync(file, 'latin1');
  const { label, isAsciiBased } = detectEncoding(text, 'css');
  if (!isAsciiBased) return { text, edits: 0, missing: [], encoding: label };
  const known = new Set(paths);
  const moved = moveStyles(text, { path, siteUrl, encoding: label, has: (one) => known.has(one) });
  return { ...moved, encoding: label };
}

async function clean({ path, mime, keep }: Extract<InspectionWork, { kind: 'clean' }>): Promise<Piece[]> {
  const header = mime.startsWith('image/') ? await readHeader(path, mime) : null;
  const rights = header && keep === 'rights' ? readStatedRights(header.blocks) : NO_RIGHTS;
  const source = new FileSource(path);
  try {
    return cleanFile(source, mime, { keep, rights, orientation: header?.size?.orientation ?? null });
  } finally {
    source.close();
  }
}

const LINES_PER_WRITE = 500;

async function planManifestTo({
  path,
  mapping,
  folder,
  outPath,
}: Extract<InspectionWork, { kind: 'manifest' }>) {
  const { rows, faults, ...rest } = planManifest(await readFile(path, 'utf8'), { mapping, folder });
  const lines: PlannedLine[] = [...rows.map((row) => ({ row })), ...faults.map((fault) => ({ fault }))];
  lines.sort((a, b) => rowOf(a) - rowOf(b));
  // Restarted when an earlier process died partway.
  const file = await open(outPath, 'w');
  try {
    for (let from = 0; from < lines.length; from += LINES_PER_WRITE) {
      const some = lines.slice(from, from + LINES_PER_WRITE);
      await file.appendFile(some.map((line) => `${JSON.stringify(line)}\n`).join(''));
    }
  } finally {
    await file.close();
  }
  return rest;
}

function rowOf(line: PlannedLine): number {
  return ('row' in line ? line.row.row : line.fault.row) ?? 0;
}

async function shrink({ path, sizePx, outPath, maxPixels }: Extract<InspectionWork, { kind: 'shrink' }>) {
  const { width, height } = await sharp(await readFile(path), { limitInputPixels: maxPixels })
    .autoOrient()
    .resize(sizePx, sizePx, { fit: 'inside', withoutEnlargement: true })
    .webp({ quality: 80 })
    .toFile(outPath);
  return { width, height };
}
