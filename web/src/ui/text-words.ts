/** How the texts of an asset are called everywhere. */
export const TEXT_WORDS = {
  title: 'Title',
  alt: 'Alternative text',
  caption: 'Caption',
  credit: 'Credit',
  keywords: 'Keywords',
  capturedAt: 'Taken',
} as const;
