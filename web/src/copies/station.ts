import { copyFilterField } from '@uniferum/core/copies';
import { lazy } from 'react';
import { uniferum } from '../client.js';
import type { Station } from '../console/station.js';

/** Stores are a view of the connections station; copies are a stage on the line. */
export const copiesStation: Station = {
  room: 'copies',
  routes: [
    {
      path: 'connections/stores',
      lazy: async () => ({ Component: (await import('./stores-page.js')).StoresPage }),
    },
  ],
  stale: {
    'store.changed': ['stores'],
    'store.deleted': ['stores'],
    'folder.changed': ['placement'],
    'run.ended': ['stores', 'findings', 'copies', 'asset', 'assets'],
    'link.created': ['links'],
    'link.deleted': ['links'],
  },
  stages: [
    {
      name: 'Copies',
      order: 60,
      width: 'w-[9rem]',
      Content: lazy(async () => ({ default: (await import('./copy-stage.js')).CopyStage })),
    },
  ],
  filterFields: [copyFilterField],
  filterWords: {
    stores: {
      queryKey: ['stores', 'names'],
      queryFn: async () => [...(await uniferum.stores.list()).items.map(({ name }) => name), 'inbox'],
    },
  },
  runKinds: {
    'place-copies': 'Placed copies',
    'change-copies': 'Changes of copies',
    audit: 'Audits',
    repair: 'Repairs',
  },
};
