import type { SourceKind, SourceSettings } from '@uniferum/core/pages';

/** Where pages come from. */
export type PageSource<Kind extends SourceKind = SourceKind> = {
  [One in Kind]: {
    id: string;
    kind: One;
    name: string;
    settings: SourceSettings[One];
    /** Encrypted; null without one. */
    secret: string | null;
    secretSetAt: Date | null;
    revision: number;
    indexedAt: Date | null;
  };
}[Kind];

/** A document of a source, before it is read. */
export interface ListedDocument {
  /** Relative to the source, with `/` between folders. */
  path: string;
  /** Changes whenever the document does. */
  stamp: string;
}

/** Whether addresses in the documents of a source may be rewritten. */
export function isWritable(source: PageSource): boolean {
  return source.kind !== 'site' && source.settings.writable;
}
