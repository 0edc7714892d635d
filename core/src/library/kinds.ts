/** The kind of an asset. A link is media hosted elsewhere. */
export const KINDS = ['image', 'document', 'audio', 'video', 'vector', 'archive', 'link'] as const;

export type Kind = (typeof KINDS)[number];
