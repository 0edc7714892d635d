import type { Station } from '../console/station.js';
import { folderPalette } from './folder-palette.js';

export const libraryStation: Station = {
  room: 'library',
  place: { name: 'Library', path: '/library', key: 'l', order: 30 },
  routes: [
    { path: 'library/*', lazy: async () => ({ Component: (await import('./library-page.js')).LibraryPage }) },
    {
      path: 'duplicates',
      lazy: async () => ({ Component: (await import('./duplicates-page.js')).DuplicatesPage }),
    },
    { path: 'bin', lazy: async () => ({ Component: (await import('./bin-page.js')).BinPage }) },
  ],
  stale: {
    'asset.created': ['assets', 'folders'],
    'asset.changed': ['assets', 'asset', 'folders'],
    'asset.deleted': ['assets', 'asset', 'folders', 'bin', 'duplicates'],
    'asset.restored': ['assets', 'folders', 'bin', 'duplicates'],
    'asset.replaced': ['assets', 'asset', 'folders'],
    'asset.purged': ['bin'],
    'folder.created': ['folders'],
    'folder.changed': ['folders', 'assets'],
    'folder.deleted': ['folders'],
    'run.ended': ['assets', 'bin'],
  },
  palette: [folderPalette],
  runKinds: {
    'bulk-edit': 'Edits',
    'bulk-undo': 'Undone edits',
    'bulk-bin': 'Moves to the bin',
    'bulk-restore': 'Restores from the bin',
    'bulk-purge': 'Permanent deletions',
  },
};
