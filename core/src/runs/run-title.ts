/**
 * Formats the title of a run by its contents: "Renditions of 4 files in /news".
 *
 * @param folder the folder that contains all of its files; null leaves the folder out
 */
export function runTitle({
  title,
  total,
  folder,
}: {
  title: string;
  total: number;
  folder: string | null;
}): string {
  if (folder === null) return title;
  const files = `${total.toLocaleString('en-GB')} ${total === 1 ? 'file' : 'files'}`;
  // Everything in the library is below the root.
  return folder === '/' ? `${title} of ${files}` : `${title} of ${files} in ${folder}`;
}

/** The deepest folder that contains both. */
export function commonFolder(a: string, b: string): string {
  const [one, other] = [a.split('/').filter(Boolean), b.split('/').filter(Boolean)];
  let shared = 0;
  while (shared < one.length && one[shared] === other[shared]) shared += 1;
  return `/${one.slice(0, shared).join('/')}`;
}
