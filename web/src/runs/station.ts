import type { Run } from '@uniferum/core/runs';
import type { Station } from '../console/station.js';
import { mergeRun } from './merge-run.js';

export const runsStation: Station = {
  room: 'runs',
  place: { name: 'Runs', path: '/runs', key: 'u', order: 90 },
  routes: [
    { path: 'runs', lazy: async () => ({ Component: (await import('./runs-page.js')).RunsPage }) },
    {
      path: 'runs/workers',
      lazy: async () => ({ Component: (await import('./workers-page.js')).WorkersPage }),
    },
  ],
  stale: {
    'run.created': ['runs'],
    'run.changed': ['runs', 'run-items'],
    'run.ended': ['runs', 'run-items'],
  },
  live: {
    'run.progress': (queries, data) => {
      queries.setQueryData<Run[]>(['active-runs'], (runs = []) => mergeRun(runs, data as Run));
      return ['runs', 'run-items'];
    },
  },
};
