import { encodePath } from '@uniferum/core/library';

/** The console's URL of a folder. */
export function libraryAddress(folder: string): string {
  return `/library${folder === '/' ? '' : encodePath(folder)}`;
}
