/** What sort of thing an asset is. A link is media kept elsewhere. */
export const KINDS = ['image', 'document', 'audio', 'video', 'vector', 'archive', 'link'] as const;

export type Kind = (typeof KINDS)[number];
