/**
 * Writes the title of a run by what it works on: "Renditions of 4 files in /news".
 *
 * @param folder the folder in which all of its files are; null when the title says all there is to say
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
  // Whatever is in the library is below its root.
  return folder === '/' ? `${title} of ${files}` : `${title} of ${files} in ${folder}`;
}

/** The deepest folder in which both are, or which is one of them. */
export function commonFolder(a: string, b: string): string {
  const [one, other] = [a.split('/').filter(Boolean), b.split('/').filter(Boolean)];
  let shared = 0;
  while (shared < one.length && one[shared] === other[shared]) shared += 1;
  return `/${one.slice(0, shared).join('/')}`;
}
