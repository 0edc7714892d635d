import { UniferumError } from '../../shared/errors.js';
import { type IndexTools, SourceFault } from '../opened-source.js';
import { listAllSiteFiles, type SiteFolder } from './queries.js';
import { readRelease } from './read-release.js';

/** A rehearsal lists this many files. */
const SHOWN = 1000;

/** Compares a folder with its current release. Nothing is changed. */
export async function planRelease(
  { db, ...tools }: Pick<IndexTools, 'db' | 'config' | 'inspector'>,
  one: SiteFolder,
) {
  const { id: release, files, others } = await readReadable(tools, one);
  const before = new Map(
    (await listAllSiteFiles(db, one.id))
      .filter(({ release_id }) => release_id === one.release)
      .map(({ path: at, sha256, bytes }) => [at, { sha256, bytes }]),
  );
  const placed = files.map(({ path: at, bytes, sha256, edits, missing }) => {
    const earlier = before.get(at);
    const change = !earlier ? 'new' : earlier.sha256 === sha256 ? 'same' : 'changed';
    return { path: at, bytes, change, edits, missing };
  });
  const now = new Set(files.map(({ path: at }) => at));
  const removed = [...before]
    .filter(([at]) => !now.has(at))
    .map(([at, { bytes }]) => ({ path: at, bytes, change: 'removed', edits: 0, missing: [] }));
  const sum = (of: (file: (typeof placed)[number]) => number) =>
    placed.reduce((total, file) => total + of(file), 0);
  const changed = [...placed.filter(({ change }) => change !== 'same'), ...removed];
  return {
    release,
    items: [...changed, ...placed.filter(({ change }) => change === 'same')].slice(0, SHOWN),
    totals: {
      ...{ files: placed.length, bytes: sum(({ bytes }) => bytes), changed: changed.length },
      ...{ edits: sum(({ edits }) => edits), missing: sum(({ missing }) => missing.length), others },
    },
  };
}

/** @throws UniferumError `conflict` with what to do */
export async function readReadable(
  tools: Pick<IndexTools, 'config' | 'inspector'>,
  folder: Pick<SiteFolder, 'folder' | 'url'>,
) {
  return readRelease(tools, folder).catch((error) => {
    if (error instanceof SourceFault) throw new UniferumError('conflict', error.message);
    throw error;
  });
}
