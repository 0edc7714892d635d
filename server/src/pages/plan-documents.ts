import type { RewritePlan as InspectionPlan, PlannedRewrite } from '../inspection/work.js';
import type { IndexTools, OpenedSource, PresentDocument } from './opened-source.js';
import { planIndexed } from './plan-indexed.js';

/** A document as it is, and what a rewrite would make of it. */
export interface PlannedDocument {
  path: string;
  planned: PlannedRewrite | { fault: string };
  document: PresentDocument;
}

/** Plans the edits of documents, as many at a time as are read together. */
export async function* planDocuments(
  { inspector, config, db }: Pick<IndexTools, 'inspector' | 'config' | 'db'>,
  { source, opened, paths }: { source: string; opened: OpenedSource; paths: readonly string[] },
  plan: Omit<InspectionPlan, 'site'>,
): AsyncGenerator<PlannedDocument[]> {
  if (paths.length === 0) return;
  const whole = { ...plan, site: opened.siteUrl ?? `${config.publicUrl}/` };
  for await (const documents of opened.present(paths)) {
    const readable = documents.filter(({ fault }) => fault === null);
    const known = opened.isStampedByContent
      ? await planIndexed(db, { source, documents: readable }, whole)
      : new Map<string, PlannedRewrite>();
    const others = readable.filter(({ path }) => !known.has(path));
    const parsed = await inspector.planRewrites(others, whole);
    const plans = new Map(others.map(({ path }, index) => [path, parsed[index]]));
    yield documents.map((document) => ({
      ...{ path: document.path, document },
      planned: known.get(document.path) ??
        plans.get(document.path) ?? { fault: document.fault ?? 'it could not be read' },
    }));
  }
}
