import { encodePath } from '../library/paths.js';
import { joinAddress, normalizeAddress, resolveAddress, splitAddress } from './address.js';
import { findReferences } from './find-references.js';
import { applyEdits, planEdits } from './rewrite.js';

/** Types of site assets by extension. Source: IANA media types; `.ico` and `.map` by common practice. */
const TYPES: Readonly<Record<string, string>> = {
  ...{ css: 'text/css', js: 'text/javascript', mjs: 'text/javascript', wasm: 'application/wasm' },
  ...{ json: 'application/json', map: 'application/json', webmanifest: 'application/manifest+json' },
  ...{ woff2: 'font/woff2', woff: 'font/woff', ttf: 'font/ttf', otf: 'font/otf' },
  ...{ svg: 'image/svg+xml', png: 'image/png', jpg: 'image/jpeg', jpeg: 'image/jpeg', gif: 'image/gif' },
  ...{ webp: 'image/webp', avif: 'image/avif', ico: 'image/vnd.microsoft.icon' },
};

/** The media type of a site asset by its name; null for files of other kinds, which may be none of the public's business. */
export function siteAssetType(name: string): string | null {
  const dot = name.lastIndexOf('.');
  return dot < 0 ? null : (TYPES[name.slice(dot + 1).toLowerCase()] ?? null);
}

/**
 * Whether browsers read files of a type from another origin only when its server agrees. Sources: CSS Fonts 4, 4.9 (font
 * fetching requirements); WHATWG HTML, "fetch a single module script", for what may be a module.
 */
export function needsCors(path: string): boolean {
  return /\.(?:woff2?|ttf|otf|mjs)$/i.test(path);
}

/** A style sheet that is served from another place together with its folder. */
export interface MovedStyles {
  text: string;
  /** How many references were changed. */
  edits: number;
  /** Paths of files that it refers to within its folder, and that are not there. */
  missing: string[];
}

/**
 * Rewrites the references of a style sheet so that they lead to the same files when its folder is served from elsewhere:
 * within the folder they become relative, everything else becomes absolute.
 *
 * @param text with each byte as the character of that number, in an encoding that contains ASCII
 * @param options.path below the folder
 * @param options.siteUrl where the folder is served now, with a slash at its end
 * @param options.has whether the folder has a file at a path
 */
export function moveStyles(
  text: string,
  {
    path,
    siteUrl,
    encoding,
    has,
  }: { path: string; siteUrl: string; encoding: string; has: (path: string) => boolean },
): MovedStyles {
  const missing = new Set<string>();
  const { references } = findReferences({ text, format: 'css', encoding });
  const here = siteUrl + encodePath(path);
  const edits = planEdits(text, references, ({ address }) => {
    const { authority, path: written, query, fragment } = splitAddress(address);
    const whole = resolveAddress(address, here);
    if (written === '' || !/^https?:/i.test(whole)) return null;
    const inner = pathBelow(siteUrl, whole);
    if (inner !== null && has(inner)) {
      const isRelative = authority === undefined && !written.startsWith('/');
      if (isRelative && !climbsOut(path, written)) return null;
      return joinAddress({ ...NO_PARTS, path: relativePath(path, inner), query, fragment });
    }
    if (inner !== null) missing.add(inner);
    return authority === undefined ? whole : null;
  });
  return { text: applyEdits(text, edits), edits: edits.length, missing: [...missing].sort() };
}

const NO_PARTS = { scheme: undefined, authority: undefined, path: '', query: undefined, fragment: undefined };

/** The decoded path of an address below a folder's; null for one elsewhere. */
function pathBelow(siteUrl: string, address: string): string | null {
  const bare = (url: string) => normalizeAddress(url).replace(/^https?:/, '');
  const [folder, target] = [bare(siteUrl), bare(address).replace(/\?.*$/s, '')];
  if (!target.startsWith(folder)) return null;
  try {
    return decodeURIComponent(target.slice(folder.length));
  } catch {
    return null;
  }
}

/** Whether a relative address climbs above the folder, even if it comes back into it. */
function climbsOut(path: string, written: string): boolean {
  let depth = path.split('/').length - 1;
  for (const segment of written.split('/').slice(0, -1)) {
    if (segment === '..') depth -= 1;
    else if (segment !== '.') depth += 1;
    if (depth < 0) return true;
  }
  return false;
}

/** The address of one file of a folder, as another one refers to it. */
function relativePath(from: string, to: string): string {
  const [here, there] = [from.split('/').slice(0, -1), to.split('/')];
  let common = 0;
  while (common < here.length && common < there.length - 1 && here[common] === there[common]) common += 1;
  const path = [...here.slice(common).map(() => '..'), ...there.slice(common)].join('/');
  // A colon in the first segment would make it a scheme. Source: RFC 3986, 4.2.
  return `${/^[^/]*:/.test(path) ? './' : ''}${encodePath(path)}`;
}
