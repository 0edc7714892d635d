import type { Station } from '../console/station.js';

export const connectionsStation: Station = {
  room: 'connections',
  place: { name: 'Connections', path: '/connections', key: 'c', order: 50 },
  routes: [
    {
      path: 'connections',
      lazy: async () => ({ Component: (await import('./connections-page.js')).ConnectionsPage }),
    },
  ],
  stale: { 'connection.changed': ['connections'], 'connection.deleted': ['connections'] },
};
