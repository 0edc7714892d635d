import { usedFilterField } from '@uniferum/core/pages';
import { lazy } from 'react';
import type { Station } from '../console/station.js';

export const pagesStation: Station = {
  room: 'pages',
  place: { name: 'Pages', path: '/pages', key: 'p', order: 70 },
  routes: [
    { path: 'pages', lazy: async () => ({ Component: (await import('./pages-page.js')).PagesPage }) },
    {
      path: 'pages/edit/:id',
      lazy: async () => ({ Component: (await import('./page-editor.js')).PageEditor }),
    },
    {
      path: 'pages/types',
      lazy: async () => ({ Component: (await import('./page-types-page.js')).PageTypesPage }),
    },
    {
      path: 'pages/sources',
      lazy: async () => ({ Component: (await import('./sources-page.js')).SourcesPage }),
    },
    {
      path: 'pages/assets',
      lazy: async () => ({ Component: (await import('./site-assets-page.js')).SiteAssetsPage }),
    },
    {
      path: 'pages/broken',
      lazy: async () => ({ Component: (await import('./broken-page.js')).BrokenPage }),
    },
  ],
  stale: {
    'page.changed': ['pages', 'sources', 'references', 'uses', 'assets', 'asset', 'page-revisions'],
    'page.deleted': ['pages', 'sources', 'references', 'uses', 'assets', 'asset'],
    'source.changed': ['sources'],
    'source.deleted': ['sources', 'references', 'uses', 'assets', 'asset'],
    'source.indexed': ['sources', 'references', 'uses', 'assets', 'asset'],
    'asset.deleted': ['references', 'sources'],
    'asset.restored': ['references', 'sources'],
    'site-assets.changed': ['site-assets'],
    'site-assets.deleted': ['site-assets'],
    'run.ended': ['sources', 'references', 'site-assets'],
  },
  stages: [
    {
      name: 'Uses',
      order: 70,
      width: 'w-36',
      Content: lazy(async () => ({ default: (await import('./uses-stage.js')).UsesStage })),
    },
  ],
  filterFields: [usedFilterField],
  runKinds: {
    'page-index': 'Page indexing',
    'page-crawl': 'Reading of sites',
    'page-rewrite': 'Rewritten addresses',
    'page-rewrite-undo': 'Undone rewrites',
    'page-follow': 'Updated addresses',
    'place-site-assets': 'Site assets',
  },
};
