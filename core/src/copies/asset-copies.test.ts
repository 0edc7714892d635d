import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  type AssetCopies,
  type CopiedFile,
  type PlacedCopy,
  planAdding,
  planDropping,
  planFetching,
  planLeavingHome,
  staleCopies,
} from './asset-copies.js';
import { COPY_STATES, type CopyState } from './copy.js';

const original = { recipe: null, variant: '', sha256: 'a' };
const card = { recipe: 'card', variant: '', sha256: 'b' };
const rung = { recipe: 'card', variant: '400w.webp', sha256: 'c' };
const open = { name: 'media', isPublic: true };
const vault = { name: 'vault', isPublic: false };

let next = 1;
const copyOf = (file: CopiedFile, store: string, state: CopyState): PlacedCopy => ({
  ...{ ...file, store, state },
  id: next++,
});

function asset({
  files = [original, card],
  copies = [],
  home,
  isPrivate = false,
}: {
  files?: CopiedFile[];
  copies?: PlacedCopy[];
  home?: string[];
  isPrivate?: boolean;
} = {}): AssetCopies<CopiedFile> {
  const holds = new Set(home ?? files.map(({ sha256 }) => sha256));
  return { files, copies, home: { name: 'server', holds }, isPrivate, publicStores: new Set(['media']) };
}
const added = (plan: ReturnType<typeof planAdding>) =>
  plan.add.map(({ store, file, copy }) => `${store} ${file.sha256} ${copy ?? 'new'}`);
const refused = (plan: { refused: { file: CopiedFile; reason: string }[] }) =>
  plan.refused.map(({ file, reason }) => `${file.sha256} ${reason}`);

describe('adding copies', () => {
  test('stores every file in every store that has none', () => {
    const stored = copyOf(original, 'media', 'stored');
    expect(added(planAdding(asset({ copies: [stored] }), [open, vault]))).toEqual([
      'vault a new',
      'media b new',
      'vault b new',
    ]);
  });

  test('uses the record of a damaged copy again, and leaves what waits or is on its way', () => {
    const damaged = copyOf(original, 'vault', 'damaged');
    const plan = planAdding(asset({ copies: [damaged, copyOf(card, 'vault', 'uploading')] }), [vault]);
    expect(added(plan)).toEqual([`vault a ${damaged.id}`]);
    expect(plan.refused).toEqual([]);
  });

  test('gives no private file to a store that anybody can read', () => {
    const plan = planAdding(asset({ isPrivate: true }), [open, vault]);
    expect(added(plan)).toEqual(['vault a new', 'vault b new']);
    expect(refused(plan)).toEqual(['a private', 'b private']);
  });

  test('takes the copies of a file that has become private out of where anybody can read them', () => {
    const shown = [copyOf(original, 'media', 'stored'), copyOf(card, 'media', 'wanted')];
    const copies = [...shown, copyOf(original, 'vault', 'stored')];
    expect(planAdding(asset({ copies }), [vault]).drop).toEqual([]);
    const ids = shown.map(({ id }) => id);
    expect(planAdding(asset({ copies, isPrivate: true }), [vault]).drop).toEqual(ids);
    // The only good copy stays until there is another one.
    const last = planAdding(asset({ copies: shown, isPrivate: true, home: [] }), []);
    expect(last.drop).toEqual([shown[1]?.id]);
  });

  test('says what has no good copy to copy from', () => {
    expect(refused(planAdding(asset({ home: ['a'] }), [vault]))).toEqual(['b no-good-copy']);
  });

  test('tells apart files of one recipe, and equal bytes of two files', () => {
    const twin = { ...rung, sha256: 'b' };
    const plan = planAdding(asset({ files: [card, twin], copies: [copyOf(card, 'vault', 'stored')] }), [
      vault,
    ]);
    expect(plan.add.map(({ file }) => file)).toEqual([twin]);
  });
});

describe('dropping copies', () => {
  test('drops those of the store, good or not, while another is good', () => {
    const here = [copyOf(original, 'vault', 'stored'), copyOf(card, 'vault', 'wanted')];
    const plan = planDropping(asset({ copies: [...here, copyOf(card, 'media', 'stored')] }), 'vault');
    expect(plan.drop).toEqual(here.map(({ id }) => id));
  });

  test('keeps the last good one, also beside one that is damaged', () => {
    const last = copyOf(original, 'vault', 'stored');
    const plan = planDropping(
      asset({ copies: [last, copyOf(original, 'media', 'damaged')], home: [] }),
      'vault',
    );
    expect(plan.drop).toEqual([]);
    expect(refused(plan)).toEqual(['a last-copy']);
  });

  test('leaves the last copy of bytes that are no longer shown to the cleanup, without a word', () => {
    const gone = copyOf({ ...card, sha256: 'old' }, 'vault', 'stored');
    const plan = planDropping(asset({ copies: [gone], home: [] }), 'vault');
    expect(plan).toEqual({ add: [], drop: [], stale: [gone.id], refused: [] });
    expect(planDropping(asset({ copies: [gone], home: ['old'] }), 'vault').drop).toEqual([gone.id]);
  });

  test('leaves what is being deleted already', () => {
    expect(planDropping(asset({ copies: [copyOf(card, 'vault', 'removing')] }), 'vault').drop).toEqual([]);
  });
});

test('copies of bytes that are neither a version nor a rendition are stale', () => {
  const old = copyOf({ ...original, sha256: 'x' }, 'vault', 'stored');
  const other = copyOf({ ...card, variant: '400w.webp' }, 'vault', 'stored');
  expect(staleCopies(asset({ copies: [old, copyOf(card, 'vault', 'stored'), other] }))).toEqual([
    old.id,
    other.id,
  ]);
});

describe('the home store', () => {
  test('gets back what has a good copy elsewhere only', () => {
    const plan = planFetching(
      asset({ files: [original, card, rung], copies: [copyOf(card, 'vault', 'stored')], home: ['a'] }),
    );
    expect(plan.files).toEqual([card]);
    expect(refused(plan)).toEqual(['c no-good-copy']);
  });

  test('gives up what has a good copy elsewhere', () => {
    const copies = [copyOf(original, 'vault', 'stored'), copyOf(card, 'vault', 'uploading')];
    const plan = planLeavingHome(asset({ files: [original, card, rung], copies, home: ['a', 'b'] }));
    expect(plan.files).toEqual([original]);
    expect(refused(plan)).toEqual(['b last-copy']);
  });
});

test('property: whatever there is, no plan takes the last good copy of a file that is shown', () => {
  const file = fc.record({
    recipe: fc.constantFrom(null, 'card'),
    variant: fc.constantFrom('', '2x.webp'),
    sha256: fc.constantFrom('a', 'b', 'c'),
  });
  const copy = fc.record({
    file,
    store: fc.constantFrom('media', 'vault'),
    state: fc.constantFrom(...COPY_STATES),
  });
  fc.assert(
    fc.property(
      fc.uniqueArray(file, { selector: (one) => JSON.stringify(one), maxLength: 5 }),
      fc.uniqueArray(copy, { selector: (one) => JSON.stringify([one.file, one.store]), maxLength: 8 }),
      fc.uniqueArray(fc.constantFrom('a', 'b', 'c')),
      (files, some, home: string[]) => {
        const copies = some.map((one) => copyOf(one.file, one.store, one.state));
        const before = asset({ files, copies, home });
        const isGood = (dropped: ReadonlySet<number>, left: ReadonlySet<string>) => (one: CopiedFile) =>
          (home.includes(one.sha256) && !left.has(one.sha256)) ||
          copies.some(
            (held) =>
              held.state === 'stored' &&
              !dropped.has(held.id) &&
              held.sha256 === one.sha256 &&
              held.recipe === one.recipe &&
              held.variant === one.variant,
          );
        const held = files.filter(isGood(new Set(), new Set()));
        for (const store of ['media', 'vault']) {
          const dropped = new Set(planDropping(before, store).drop);
          expect(held.filter(isGood(dropped, new Set()))).toEqual(held);
        }
        const left = new Set<string>();
        const leaving = planLeavingHome(before).files;
        // Equal bytes leave only when every file that has them may.
        for (const { sha256 } of leaving)
          if (files.every((one) => one.sha256 !== sha256 || leaving.includes(one))) left.add(sha256);
        expect(held.filter(isGood(new Set(), left))).toEqual(held);
      },
    ),
  );
});
