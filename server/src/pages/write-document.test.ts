import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { contentDigest } from '../inspection/content-digest.js';
import { writeDocument } from './write-document.js';

let root: string;
beforeEach(async () => {
  root = await mkdtemp(join(tmpdir(), 'uniferum-documents-'));
});
afterEach(() => rm(root, { recursive: true }));

const BEFORE = '<img src="/old.jpg">';
const AFTER = '<img src="/new.jpg">';
const change = (path: string) => ({
  path,
  edits: [{ from: 10, to: 18, before: '/old.jpg', after: '/new.jpg' }],
  before: contentDigest(Buffer.from(BEFORE)),
  after: contentDigest(Buffer.from(AFTER)),
});

test('two workers that make the same change at once have both made it', async () => {
  for (let n = 0; n < 100; n += 1) {
    const path = `${n}.html`;
    await writeFile(join(root, path), BEFORE);
    const outcomes = await Promise.all([1, 2, 3].map(() => writeDocument(root, change(path))));
    expect(outcomes.map(({ kind }) => kind)).toEqual(['written', 'written', 'written']);
    expect(await readFile(join(root, path), 'utf8')).toBe(AFTER);
  }
  expect(await readdir(root)).toHaveLength(100);
});

test('a document that somebody else has changed is left as it is', async () => {
  await writeFile(join(root, 'a.html'), 'something else');
  expect(await writeDocument(root, change('a.html'))).toEqual({ kind: 'changed' });
  expect(await readFile(join(root, 'a.html'), 'utf8')).toBe('something else');
});
