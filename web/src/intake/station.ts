import type { Station } from '../console/station.js';

export const intakeStation: Station = {
  room: 'intake',
  place: { name: 'Intake', path: '/intake', key: 'i', order: 20 },
  routes: [
    { path: 'intake', lazy: async () => ({ Component: (await import('./intake-page.js')).IntakePage }) },
  ],
  runKinds: { intake: 'Imports' },
  stale: {
    'asset.created': ['intakes', 'inbox'],
    'intake.changed': ['intakes'],
    'inbox.changed': ['inbox'],
    'settings.changed': ['settings'],
    'run.ended': ['intakes', 'inbox'],
  },
};
