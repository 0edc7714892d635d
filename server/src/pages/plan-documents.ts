import type { RewritePlan as InspectionPlan, PlannedRewrite } from '../inspection/work.js';
import type { IndexTools, OpenedSource, PresentDocument } from './opened-source.js';

/** A document as it is, and what a rewrite would make of it. */
export interface PlannedDocument {
  path: string;
  planned: PlannedRewrite | { fault: string };
  document: PresentDocument;
}

/** Plans the edits of documents, as many at a time as are read together. */
export async function* planDocuments(
  { inspector, config }: IndexTools,
  opened: OpenedSource,
  paths: readonly string[],
  plan: Omit<InspectionPlan, 'site'>,
): AsyncGenerator<PlannedDocument[]> {
  if (paths.length === 0) return;
  for await (const documents of opened.present(paths)) {
    const readable = documents.filter(({ fault }) => fault === null);
    const site = opened.siteUrl ?? `${config.publicUrl}/`;
    const planned = await inspector.planRewrites(readable, { ...plan, site });
    yield [
      ...readable.map((document, index) => ({
        ...{ path: document.path, document },
        planned: planned[index] as PlannedRewrite | { fault: string },
      })),
      ...documents.flatMap((document) =>
        document.fault === null
          ? []
          : [{ path: document.path, document, planned: { fault: document.fault } }],
      ),
    ];
  }
}
