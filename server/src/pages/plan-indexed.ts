import { planKnownRewrite } from '@uniferum/core/pages';
import { addressMapOf } from '../inspection/address-maps.js';
import { contentDigest, digestAfter } from '../inspection/content-digest.js';
import type { PlannedRewrite, RewritePlan } from '../inspection/work.js';
import type { Executor } from '../shared/database.js';
import { type IndexedDocument, listIndexed } from './document-queries.js';
import type { PresentDocument } from './opened-source.js';

/** A map of more addresses takes so long to build that it is left to a process. */
const MAX_RULES = 10_000;
const MAX_PREFIXES = 100;

/**
 * Plans the edits of documents that are as they were when they were indexed. It is known where their addresses are, and
 * text need not be parsed to be replaced.
 *
 * @returns the plans by path; other documents have to be parsed
 */
export async function planIndexed(
  db: Executor,
  { source, documents }: { source: string; documents: readonly PresentDocument[] },
  plan: RewritePlan,
): Promise<Map<string, PlannedRewrite>> {
  const planned = new Map<string, PlannedRewrite>();
  const { pairs = [], prefixes = [] } = plan.rules;
  // Only a worker does this: what is looked at is parsed, in a process of its own, and nobody waits for this one.
  if (plan.run === null || pairs.length > MAX_RULES || prefixes.length > MAX_PREFIXES) return planned;
  const candidates = documents.filter(({ format, content }) => format !== 'markdown' && 'bytes' in content);
  const indexed = await listIndexed(
    db,
    source,
    candidates.map(({ path }) => path),
  );
  for (const document of candidates) {
    const known = indexed.get(document.path);
    const one = known && planOne(document, known, plan);
    if (one) planned.set(document.path, one);
  }
  return planned;
}

function planOne(
  { stamp, content, url, digest }: PresentDocument,
  { stamp: stampThen, title, encoding, references }: IndexedDocument,
  plan: RewritePlan,
): PlannedRewrite | null {
  if (stamp !== stampThen || !('bytes' in content)) return null;
  const data = Buffer.from(content.bytes.buffer, content.bytes.byteOffset, content.bytes.byteLength);
  const slice = (from: number, to: number) => data.toString('latin1', from, to);
  const rewrite = planKnownRewrite(slice, references, addressMapOf(plan).replacements({ base: null }, url));
  if (rewrite === null) return null;
  const { edits } = rewrite;
  const before = digest ?? contentDigest(data);
  if (edits.length === 0) return { edits, shown: [], before, after: before, read: null };
  const after = digestAfter(data, edits);
  const read = { encoding, title, base: null, references: rewrite.references };
  return { edits, shown: [], before, after, read };
}
