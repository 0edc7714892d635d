import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import MarkdownIt from 'markdown-it';
import { type DefaultTreeAdapterTypes, parse } from 'parse5';
import { expect, test } from 'vitest';
import { decodeByteText } from './byte-text.js';
import { findReferences } from './find-references.js';
import { isFetched } from './reference.js';
import { srcsetCandidates } from './srcset-candidates.js';

// Documents that nobody wrote for this test, with independent parsers as the truth.

const ROOT = new URL('../../..', import.meta.url).pathname;

/** All files of a tree with these names, at most so many, evenly spread. */
function filesOf(root: string, pattern: RegExp, most: number): string[] {
  const files = readdirSync(root, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile() && pattern.test(entry.name))
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
  const step = Math.max(1, Math.floor(files.length / most));
  return files.filter((_, index) => index % step === 0);
}

type Node = DefaultTreeAdapterTypes.Node;

const ATTRIBUTES: Record<string, string> = {
  ...{ img: 'src', a: 'href', area: 'href', link: 'href', script: 'src', iframe: 'src', source: 'src' },
  ...{ embed: 'src', object: 'data', input: 'src', video: 'src', audio: 'src', track: 'src' },
};

/** The addresses in a tree of the HTML standard. */
function addressesInTree(html: string): string[] {
  const found: string[] = [];
  const walk = (node: Node) => {
    if ('attrs' in node)
      for (const { name, value } of node.attrs)
        if (name === ATTRIBUTES[node.tagName] || (name === 'poster' && node.tagName === 'video'))
          found.push(value.trim());
        else if (name === 'srcset')
          found.push(...srcsetCandidates(value).map(({ from, to }) => value.slice(from, to)));
    if ('content' in node) walk(node.content);
    if ('childNodes' in node) node.childNodes.forEach(walk);
  };
  walk(parse(html, { scriptingEnabled: false }));
  return found.filter(isFetched);
}

const IN_TAGS =
  /^(?:img|a|area|link|script|iframe|source|embed|object|input|video|audio|track) (?:src|href|data|srcset|poster)$/;

/** How many of what is wanted was found, and how many of what was found is wanted. */
class Score {
  wanted = 0;
  found = 0;
  right = 0;

  add(wanted: readonly string[], found: readonly string[]): void {
    const left = new Map<string, number>();
    for (const one of wanted) left.set(one, (left.get(one) ?? 0) + 1);
    for (const one of found) {
      const count = left.get(one) ?? 0;
      if (count > 0) this.right += 1;
      left.set(one, count - 1);
    }
    this.wanted += wanted.length;
    this.found += found.length;
  }

  get recall(): number {
    return this.right / this.wanted;
  }

  get precision(): number {
    return this.right / this.found;
  }
}

function encodingOf(bytes: string): string {
  return /charset=["']?([\w-]+)/i.exec(bytes.slice(0, 2048))?.[1] ?? 'utf-8';
}

test('in a manual of nine languages, as in its trees', () => {
  const score = new Score();
  const encodings = new Set<string>();
  for (const path of filesOf('/usr/share/doc/apache2-doc', /\.html/, 250)) {
    const bytes = readFileSync(path);
    const text = bytes.toString('latin1');
    const encoding = encodingOf(text);
    encodings.add(encoding.toLowerCase());
    const { references } = findReferences({ text, format: 'html', encoding });
    score.add(
      addressesInTree(decodeByteText(text, encoding)),
      references.filter(({ attribute }) => IN_TAGS.test(attribute)).map(({ address }) => address),
    );
    for (const { from, to, address } of references)
      if (/^[\w/.-]+$/.test(address)) expect(bytes.subarray(from, to).toString('latin1')).toBe(address);
  }
  expect(score.wanted).toBeGreaterThan(10_000);
  expect(encodings.size).toBeGreaterThan(1);
  expect(score.recall).toBeGreaterThanOrEqual(0.999);
  expect(score.precision).toBeGreaterThanOrEqual(0.999);
});

test('in the read-me files of packages, as another parser of Markdown renders them', () => {
  const other = new MarkdownIt({ html: true });
  // It encodes what it shows; here the addresses are compared as written.
  other.normalizeLink = (address) => address;
  other.validateLink = () => true;
  const score = new Score();
  for (const path of filesOf(join(ROOT, 'node_modules'), /^readme\.md$/i, 120)) {
    const text = readFileSync(path, 'utf8');
    if (text.startsWith('---') || text.startsWith('\ufeff')) continue;
    const { references } = findReferences({ text, format: 'markdown', encoding: null });
    const ours = references.map(({ address }) => address);
    const theirs = addressesInTree(other.render(text));
    // A definition is one place to which any number of links lead.
    score.add(
      [...new Set(theirs)],
      [...new Set(ours)].filter((one) => theirs.includes(one) || !isDefinition(one)),
    );
    function isDefinition(address: string): boolean {
      return references.some((one) => one.address === address && one.attribute === 'markdown definition');
    }
  }
  expect(score.wanted).toBeGreaterThan(500);
  expect(score.recall).toBeGreaterThanOrEqual(0.999);
  expect(score.precision).toBeGreaterThanOrEqual(0.999);
});
