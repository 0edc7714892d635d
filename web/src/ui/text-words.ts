/** The labels of an asset's texts. */
export const TEXT_WORDS = {
  title: 'Title',
  alt: 'Alternative text',
  caption: 'Caption',
  credit: 'Credit',
  keywords: 'Keywords',
  capturedAt: 'Taken',
} as const;
