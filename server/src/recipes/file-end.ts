import { extensionOfMime } from '@uniferum/core/intake';

/** The end of a rendition's URL: the name of its variant, or the extension of its type. */
export function fileEnd({ variant, mime }: { variant: string; mime: string | null }): string {
  return variant === '' ? (extensionOfMime(mime ?? '') ?? 'bin') : variant;
}
