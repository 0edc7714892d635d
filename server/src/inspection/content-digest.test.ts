import { createHash } from 'node:crypto';
import { applyEdits, type Edit } from '@uniferum/core/pages';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { contentDigest, digestAfter, hasDigest } from './content-digest.js';

test('a content has its SHA-1, and the SHA-256 that earlier releases stored of it', () => {
  const data = Buffer.from('The lamp was lit.');
  const digests = ['sha1', 'sha256'].map((name) => createHash(name).update(data).digest('hex'));
  expect(contentDigest(data)).toBe(digests[0]);
  for (const digest of digests) {
    expect(hasDigest(data, digest)).toBe(true);
    expect(hasDigest(Buffer.from('The lamp was out.'), digest)).toBe(false);
  }
});

test('the digest after edits is that of the edited content', () => {
  const pieces = fc.array(
    fc.record({
      kept: fc.uint8Array({ maxLength: 20 }),
      before: fc.uint8Array({ maxLength: 8 }),
      after: fc.uint8Array({ maxLength: 8 }),
    }),
    { maxLength: 6 },
  );
  const textOf = (bytes: Uint8Array) => Buffer.from(bytes).toString('latin1');
  fc.assert(
    fc.property(pieces, fc.uint8Array({ maxLength: 20 }), (some, end) => {
      const edits: Edit[] = [];
      let text = '';
      for (const { kept, before, after } of some) {
        text += textOf(kept);
        const from = text.length;
        text += textOf(before);
        edits.push({ from, to: text.length, before: textOf(before), after: textOf(after) });
      }
      text += textOf(end);
      const edited = Buffer.from(applyEdits(text, edits), 'latin1');
      expect(digestAfter(Buffer.from(text, 'latin1'), edits)).toBe(contentDigest(edited));
    }),
  );
});
