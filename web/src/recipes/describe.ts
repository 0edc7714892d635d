import type { Recipe, Step } from '@uniferum/core';

/** A recipe's steps in words: `fit into 1600 × 1600`. */
export function describeSteps(steps: readonly Step[]): string {
  return steps.map(describeStep).join(', then ');
}

/** What a recipe gives: `JPEG, quality 80`. */
export function describeOutput({ format, quality, metadata }: Recipe['output']): string {
  const words = [format === 'keep' ? 'same format' : format.toUpperCase()];
  if (format !== 'png') words.push(`quality ${quality}`);
  if (metadata !== 'none')
    words.push(metadata === 'rights' ? 'with artist and copyright' : 'with all metadata');
  return words.join(', ');
}

function describeStep({ mode, width, height }: Step): string {
  if (mode === 'cover') return `crop to ${width} × ${height}`;
  if (width && height) return `fit into ${width} × ${height}`;
  return width ? `fit to ${width} wide` : `fit to ${height} high`;
}
