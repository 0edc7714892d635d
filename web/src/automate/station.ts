import type { Station } from '../console/station.js';

export const automateStation: Station = {
  room: 'automate',
  place: { name: 'Automate', path: '/automate', key: 'm', order: 100 },
  routes: [
    {
      path: 'automate',
      lazy: async () => ({ Component: (await import('./automate-page.js')).AutomatePage }),
    },
  ],
};
