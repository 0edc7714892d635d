import type { CopyState } from './copy.js';
import { type CopyRefusal, planCopy } from './plan-copies.js';

/** One file of an asset that is copied: a version of its original, or a rendition. */
export interface CopiedFile {
  /** Null for an original. */
  recipe: string | null;
  /** Empty for an original, and for the main file of a recipe. */
  variant: string;
  sha256: string;
}

/** A copy of a file, as it is recorded. */
export interface PlacedCopy extends CopiedFile {
  id: number;
  store: string;
  state: CopyState;
}

/** A file to store. */
export interface WantedCopy<File extends CopiedFile> {
  store: string;
  file: File;
  /** The record of an earlier attempt, or of a damaged copy, that is used again; null for a new one. */
  copy: number | null;
}

/** What is to be done about the copies of one asset. */
export interface AssetCopyPlan<File extends CopiedFile> {
  add: WantedCopy<File>[];
  drop: number[];
  /** Copies of bytes that the library no longer shows here. */
  stale: number[];
  /** What isn't done, and why: `private` files are not given to stores that anybody can read. */
  refused: { store: string; file: CopiedFile; reason: CopyRefusal | 'private' }[];
}

/** A store as far as plans need it. */
export interface PlannedStore {
  name: string;
  /** Anybody can read its objects. */
  isPublic: boolean;
}

/** The state of an asset's copies. */
export interface AssetCopies<File extends CopiedFile> {
  /** The current files: originals of all versions, and renditions. */
  files: readonly File[];
  /** Copies outside the home store. */
  copies: readonly PlacedCopy[];
  /** The home store's name, and the bytes that it holds. */
  home: { name: string; holds: ReadonlySet<string> };
  isPrivate: boolean;
  /** The stores whose objects anybody can read. */
  publicStores: ReadonlySet<string>;
}

/**
 * Plans to add copies of all current files to stores, and to drop those that anybody can read of files that have become
 * private. Visitors may know their addresses.
 */
export function planAdding<File extends CopiedFile>(
  asset: AssetCopies<File>,
  stores: readonly PlannedStore[],
): AssetCopyPlan<File> {
  const stale = staleCopies(asset);
  const plan: AssetCopyPlan<File> = { add: [], drop: exposedCopies(asset), stale, refused: [] };
  for (const file of asset.files)
    for (const store of stores) {
      if (asset.isPrivate && store.isPublic) {
        plan.refused.push({ store: store.name, file, reason: 'private' });
        continue;
      }
      const own = asset.copies.filter((copy) => isSameFile(copy, file));
      const verdict = planCopy(statesOf(asset, file), 'add', store.name);
      // A damaged copy is stored again under its own key, which never holds other bytes.
      const copy = own.find((one) => one.store === store.name && one.state === 'damaged') ?? null;
      if (verdict.ok) plan.add.push({ store: store.name, file, copy: copy?.id ?? null });
      else if (verdict.reason !== 'present')
        plan.refused.push({ store: store.name, file, reason: verdict.reason });
    }
  return plan;
}

/** Copies of a private asset that anybody can read, apart from those that are the last good one. */
function exposedCopies(asset: AssetCopies<CopiedFile>): number[] {
  if (!asset.isPrivate) return [];
  return asset.copies
    .filter((copy) => {
      if (!asset.publicStores.has(copy.store)) return false;
      const others = statesOf(asset, copy).filter(({ store }) => !asset.publicStores.has(store));
      return planCopy([...others, copy], 'drop', copy.store).ok;
    })
    .map(({ id }) => id);
}

/** Plans to drop all copies in a store, apart from those that are the last good one. */
export function planDropping<File extends CopiedFile>(
  asset: AssetCopies<File>,
  store: string,
): AssetCopyPlan<File> {
  const stale = new Set(staleCopies(asset));
  const plan: AssetCopyPlan<File> = { add: [], drop: [], stale: [...stale], refused: [] };
  for (const copy of asset.copies) {
    if (copy.store !== store || copy.state === 'removing') continue;
    const verdict = planCopy(statesOf(asset, copy), 'drop', store);
    if (verdict.ok) plan.drop.push(copy.id);
    // The last copy of bytes that aren't shown here may be needed by another file; the cleanup looks.
    else if (!stale.has(copy.id)) plan.refused.push({ store, file: copy, reason: verdict.reason });
  }
  return plan;
}

/** Plans to bring files back to the home store that have a good copy elsewhere only. */
export function planFetching<File extends CopiedFile>(asset: AssetCopies<File>): HomePlan<File> {
  const plan: HomePlan<File> = { files: [], refused: [] };
  for (const file of asset.files) {
    const verdict = planCopy(statesOf(asset, file), 'add', asset.home.name);
    if (verdict.ok) plan.files.push(file);
    else if (verdict.reason !== 'present') plan.refused.push({ file, reason: verdict.reason });
  }
  return plan;
}

/** Plans to delete files from the home store that have a good copy elsewhere. */
export function planLeavingHome<File extends CopiedFile>(asset: AssetCopies<File>): HomePlan<File> {
  const plan: HomePlan<File> = { files: [], refused: [] };
  for (const file of asset.files) {
    const verdict = planCopy(statesOf(asset, file), 'drop', asset.home.name);
    if (verdict.ok) plan.files.push(file);
    else if (verdict.reason !== 'absent') plan.refused.push({ file, reason: verdict.reason });
  }
  return plan;
}

/** What is to be done about the home store's copies of one asset. */
export interface HomePlan<File extends CopiedFile> {
  files: File[];
  refused: { file: File; reason: CopyRefusal }[];
}

/** Copies whose bytes are neither of a version nor of a rendition any more. */
export function staleCopies({ files, copies }: Pick<AssetCopies<CopiedFile>, 'files' | 'copies'>): number[] {
  return copies.filter((copy) => !files.some((file) => isSameFile(copy, file))).map(({ id }) => id);
}

/** The copies of one file in all stores. Equal bytes in the home store are one copy, whichever file they belong to. */
function statesOf({ copies, home }: AssetCopies<CopiedFile>, file: CopiedFile) {
  const placed = copies.filter((copy) => isSameFile(copy, file));
  return home.holds.has(file.sha256) ? [...placed, { store: home.name, state: 'stored' as const }] : placed;
}

export function isSameFile(a: CopiedFile, b: CopiedFile): boolean {
  return a.sha256 === b.sha256 && a.recipe === b.recipe && a.variant === b.variant;
}
