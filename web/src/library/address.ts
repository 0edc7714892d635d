/** The console's URL of a folder. */
export function libraryAddress(folder: string): string {
  return `/library${folder === '/' ? '' : folder.split('/').map(encodeURIComponent).join('/')}`;
}
