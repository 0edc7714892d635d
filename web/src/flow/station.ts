import type { Station } from '../console/station.js';

export const flowStation: Station = {
  room: 'flow',
  place: { name: 'Flow', path: '/', key: 'f', order: 10 },
  routes: [{ index: true, lazy: async () => ({ Component: (await import('./flow-page.js')).FlowPage }) }],
  stale: Object.fromEntries(
    [
      'asset.created',
      'asset.deleted',
      'asset.restored',
      'asset.renditions',
      'intake.changed',
      'folder.created',
      'folder.deleted',
      'rules.changed',
      'recipe.changed',
      'recipe.deleted',
      'run.created',
      'run.changed',
      'run.ended',
    ].map((event) => [event, ['flow']]),
  ),
};
