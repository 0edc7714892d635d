import { joinPath, parseFolderPath } from '@uniferum/core/library';

/** Dropped folders become folders in the library. Browsers provide the path in one of two ways. */
export function folderOf(file: File & { path?: string }, folder: string): string {
  const path = (file.webkitRelativePath || file.path || '').replace(/^\.?\//, '');
  const parts = path.split('/').slice(0, -1);
  const target = parseFolderPath(parts.reduce(joinPath, folder));
  return target.ok ? target.path : folder;
}

/** Groups files by target folder, each group in the order of the files. */
export function groupByFolder<File extends { folder: string }>(
  uploads: readonly File[],
): Map<string, File[]> {
  const groups = new Map<string, File[]>();
  for (const upload of uploads) {
    const group = groups.get(upload.folder);
    if (group) group.push(upload);
    else groups.set(upload.folder, [upload]);
  }
  return groups;
}
